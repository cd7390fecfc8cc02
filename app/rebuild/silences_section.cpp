// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/silences_section.h"

#include <array>
#include <span>

#include "app/widgets/controls.h"
#include "core/project/editing.h"

namespace rivlen::app {

SilencesSection::SilencesSection(Document& document, LevelWatch& levels, SilenceSettings& settings,
                                 QWidget* parent)
    : Section(document, parent), levels_(levels), silence_(settings) {
    add_heading(tr("Silences in talk"));
    column().addWidget(make_note(tr("Hatched is what would go: where no dialogue track speaks."), this));
    const std::array values = {&silence_.threshold_dbfs, &silence_.shortest_ms, &silence_.padding_ms,
                               &silence_.hysteresis_db};
    static_assert(values.size() == kSilenceSettings);
    for (std::size_t i = 0; i < kSilenceSettings; ++i) {
        const ParameterInfo& about = info(static_cast<SilenceSetting>(i));
        add_slider(
            about, QString("silence_%1").arg(about.key), [value = values[i]] { return *value; },
            [this, value = values[i]](double to) {
                *value = to;
                refresh();
                emit changed();
            });
    }
    auto* close = make_button(
        tr("Close the gaps"), "silence_close",
        tr("Takes the silences out of all tracks and the picture; what is later moves up."), this);
    auto* mute = make_button(tr("Mute them"), "silence_mute",
                             tr("Mutes what the dialogue tracks play there; nothing moves."), this);
    const auto done = [this](std::size_t count) {
        emit said(count > 0 ? tr("%1 silences taken.").arg(count) : tr("No silence is long and soft enough."),
                  false);
        emit taken();
    };
    connect(close, &QToolButton::clicked, this, [this, done] {
        const auto ranges = silences();
        document_.edit_timeline(tr("Close silences"), {},
                                [&](Timeline& r) { cut_time(r, ranges, {}, true); });
        done(ranges.size());
    });
    connect(mute, &QToolButton::clicked, this, [this, done] {
        const auto ranges = silences();
        document_.edit_timeline(tr("Mute silences"), {},
                                [&](Timeline& r) { mute_ranges(r, ranges, dialogue_tracks(r)); });
        done(ranges.size());
    });
    add_row({close, mute});
}

std::vector<LoopRange> SilencesSection::silences() {
    const Timeline& r = document_.timeline();
    std::vector<std::span<const float>> levels;
    for (const int track : dialogue_tracks(r)) {
        const auto* measured = levels_.levels(track);
        if (measured == nullptr) return {};
        levels.emplace_back(*measured);
    }
    return find_silences(levels, kDuckStep, r.end(), r.sample_rate, silence_);
}

}  // namespace rivlen::app
