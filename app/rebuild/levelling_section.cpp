// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/levelling_section.h"

#include <array>

#include "app/widgets/controls.h"

namespace rivlen::app {

LevellingSection::LevellingSection(Document& document, int track, LevelWatch& levels, LevelSettings& settings,
                                   Selection& selection, QWidget* parent)
    : Section(document, parent), levels_(levels), levelling_(settings), selection_(selection) {
    const int id = track;
    add_heading(tr("Levelling"));
    const std::array values = {&levelling_.target_dbfs, &levelling_.range_db, &levelling_.seconds};
    static_assert(values.size() == kLevelSettings);
    for (std::size_t i = 0; i < kLevelSettings; ++i) {
        const ParameterInfo& about = info(static_cast<LevelSetting>(i));
        add_slider(
            about, QString("levelling_%1").arg(about.key), [value = values[i]] { return *value; },
            [value = values[i]](double to) { *value = to; });
    }
    auto* level = make_button(
        tr("Write the gain line"), "levelling_write",
        tr("Near and far, loud and quiet talkers come to one level: a gain line that can be edited."), this);
    connect(level, &QToolButton::clicked, this, [this, id] {
        const auto* levels = levels_.levels(id);
        if (levels == nullptr)
            return emit said(tr("The levels are still being measured; try again in a moment."), false);
        const auto points = levelling_line(*levels, kDuckStep, document_.timeline().sample_rate, levelling_);
        if (points.empty()) return emit said(tr("Nobody speaks on this track."), false);
        const StripLane target{LaneTarget::Gain, 0, 0, {}};
        document_.edit_timeline(tr("Level the voice"), {},
                                [&](Timeline& r) { set_points(*r.strip(id), target, points); });
        selection_.show_line(id, target);
    });
    on_refresh([this, id] { (void)levels_.levels(id); });  // measured before it is asked for
    add_row({level});
}

}  // namespace rivlen::app
