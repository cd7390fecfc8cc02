// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/space_section.h"

#include <QCheckBox>
#include <QComboBox>
#include <QSignalBlocker>

#include "app/widgets/controls.h"
#include "app/widgets/text.h"
#include "core/project/editing.h"
#include "core/project/strip_parameters.h"

namespace rivlen::app {

namespace {

// As it is at a frame, lines included.
Place place_at(const Strip& strip, std::int64_t frame) {
    const auto at = [&](LaneTarget target) { return value_at(strip, {target, 0, 0, {}}, frame); };
    return {at(LaneTarget::Azimuth), at(LaneTarget::Elevation), at(LaneTarget::Spread), at(LaneTarget::Lfe)};
}

}  // namespace

SpaceSection::SpaceSection(Document& document, int strip_id, SetStripValue set_value, QWidget* parent)
    : Section(document, parent),
      set_value_(std::move(set_value)),
      strip_(strip_id),
      playhead_(SessionFrame{}) {
    const Timeline& r = document_.timeline();
    add_row({layout_box(strip_id)});
    if (r.is_placed(strip_id)) add_place();
    levels_ = new ChannelLevels(this);
    column().addWidget(levels_);
    if (r.track(strip_id) != nullptr) return;
    if (strip_id == r.main_bus() && channels_of(r.main_layout()) > kStereoChannels)
        ambisonic_order(r.main_layout()) > 0 ? add_decoder() : add_fold_down();
    field_ = new FieldView(this);  // of buses, where sounds meet
    column().addWidget(field_);
}

QComboBox* SpaceSection::layout_box(int id) {
    auto* box = new QComboBox(this);
    box->setObjectName("strip_layout");
    box->setAccessibleName(tr("Channels"));
    const bool is_track = document_.timeline().track(id) != nullptr;
    box->setToolTip(
        is_track ? tr("How many channels its chain works on; what clips have is brought to it.\n"
                      "Mono and stereo are placed in a bus of more channels.")
                 : tr("How many channels it has; what goes to it is placed in them or brought to them.\n"
                      "Buses with the main bus's channels follow it."));
    for (std::size_t k = 0; k < kLayouts; ++k) {
        const auto layout = static_cast<Layout>(k);
        if (layout != Layout::Mono || is_track) box->addItem(words(name_of(layout)), static_cast<int>(k));
    }
    connect(box, &QComboBox::activated, this, [this, id, box](int index) {
        const auto layout = static_cast<Layout>(box->itemData(index).toInt());
        document_.edit_timeline(tr("Channels"), {}, [&](Timeline& r) { set_layout(r, id, layout); });
    });
    on_refresh([this, id, box] {
        const QSignalBlocker quiet(box);
        box->setCurrentIndex(box->findData(static_cast<int>(document_.timeline().layout_of(id))));
    });
    return box;
}

void SpaceSection::add_value(const ParameterInfo& about, LaneTarget which) {
    const StripLane target{which, 0, 0, {}};
    ParameterSlider* slider = add_slider(
        about, QString("place_%1").arg(about.key),
        [this, target] {
            const Strip* s = document_.timeline().strip(strip_);
            return s != nullptr ? value_at(*s, target, playhead_.count) : 0.0;
        },
        [this, target](double value) { set_value_(strip_, target, value); });
    on_refresh([this, target, slider] {
        const Strip* s = document_.timeline().strip(strip_);
        slider->set_marked(s != nullptr && find_lane(*s, target) != nullptr);
    });
}

void SpaceSection::add_place() {
    const Timeline& now = document_.timeline();
    add_heading(tr("Place"));
    auto* editor = new PlaceEditor(this);
    column().addWidget(editor);
    connect(editor, &PlaceEditor::moved, this, [this](double azimuth_deg, double elevation_deg) {
        const Strip* s = document_.timeline().strip(strip_);
        if (s == nullptr) return;
        const Place before = place_at(*s, playhead_.count);
        if (azimuth_deg != before.azimuth_deg)
            set_value_(strip_, {LaneTarget::Azimuth, 0, 0, {}}, azimuth_deg);
        if (elevation_deg != before.elevation_deg)
            set_value_(strip_, {LaneTarget::Elevation, 0, 0, {}}, elevation_deg);
    });
    connect(editor, &PlaceEditor::released, this, [this] { document_.close_step(); });
    on_refresh([this, editor] {
        const Timeline& r = document_.timeline();
        const Strip* s = r.strip(strip_);
        if (s == nullptr) return;
        const double width = value_at(*s, {LaneTarget::Width, 0, 0, {}}, playhead_.count);
        editor->show_place(place_at(*s, playhead_.count),
                           r.layout_of(strip_) == Layout::Stereo ? width / 100 * kSideDeg : 0,
                           r.layout_behind(strip_));
    });
    add_value(kPlaceAzimuth, LaneTarget::Azimuth);
    add_value(kPlaceElevation, LaneTarget::Elevation);
    add_value(kPlaceSpread, LaneTarget::Spread);
    if (now.layout_of(strip_) == Layout::Stereo) add_value(kStripWidth, LaneTarget::Width);
    if (lfe_channel(now.layout_behind(strip_))) add_value(kPlaceLfe, LaneTarget::Lfe);
    if (!now.picture.empty()) add_screen();
}

// Of the whole session: how the main bus is heard and handed over on fewer loudspeakers.
void SpaceSection::add_fold_down() {
    add_heading(tr("Folded down"));
    const Layout layout = document_.timeline().main_layout();
    const auto add = [this](const ParameterInfo& about, double FoldDown::*level) {
        add_slider(
            about, QString(about.key), [this, level] { return document_.timeline().fold_down.*level; },
            [this, level, key = about.key](double db) {
                document_.edit_timeline(tr("Fold-down"), key, [&](Timeline& r) { r.fold_down.*level = db; });
            });
    };
    add(kFoldCentre, &FoldDown::centre_db);
    if (channels_of(layout) > channels_of(Layout::Lcr)) add(kFoldSurround, &FoldDown::surround_db);
    if (has_height(layout)) add(kFoldHeight, &FoldDown::height_db);
    if (lfe_channel(layout)) add(kFoldLfe, &FoldDown::lfe_db);
}

// Of the whole session: how ambisonics in the main bus become loudspeakers.
void SpaceSection::add_decoder() {
    auto* box = new QComboBox(this);
    box->setObjectName("decoder_weights");
    box->setAccessibleName(tr("Decoder"));
    box->setToolTip(
        tr("How the field becomes loudspeakers.\n"
           "Energy (max-rE): sources are as narrow as can be in what the ears hear of higher sound.\n"
           "Basic: the field is built as it was, which holds in the middle and for low sound."));
    box->addItem(tr("Decoder: energy (max-rE)"));
    box->addItem(tr("Decoder: basic"));
    connect(box, &QComboBox::activated, this, [this](int index) {
        document_.edit_timeline(tr("Decoder"), {},
                                [&](Timeline& r) { r.decoder = static_cast<DecoderWeights>(index); });
    });
    on_refresh([this, box] {
        const QSignalBlocker quiet(box);
        box->setCurrentIndex(static_cast<int>(document_.timeline().decoder));
    });
    add_row({box});
}

// How wide the picture is: of the whole session.
void SpaceSection::add_screen() {
    const auto set = [this](double width_deg) {
        document_.edit_timeline(tr("Width of the screen"), "screen",
                                [&](Timeline& r) { r.screen_width_deg = width_deg; });
    };
    ParameterSlider* width = add_slider(
        kScreenWidth, "screen_width",
        [this] { return std::min(document_.timeline().screen_width_deg, kMostScreenDeg); }, set);
    auto* around = new QCheckBox(tr("Picture all around"), this);
    around->setObjectName("screen_all_around");
    around->setToolTip(tr("The picture shows all directions (360 degrees wide, 180 high)."));
    connect(around, &QCheckBox::clicked, this, [this, set](bool on) {
        set(on ? kAllAroundDeg : Timeline().screen_width_deg);
        document_.close_step();
    });
    on_refresh([this, around, width] {
        const bool all = document_.timeline().screen_width_deg > kMostScreenDeg;
        around->setChecked(all);
        width->setEnabled(!all);
    });
    auto* follow = make_button(
        tr("Follow…"), "follow_in_picture",
        tr("Draw a box around somebody in the picture: the place goes with them from the playhead on, "
           "to the end of the loop or of the picture. Where they are lost is said, not guessed."),
        this);
    connect(follow, &QToolButton::clicked, this, &SpaceSection::box_wanted);
    add_row({around, follow});
}

}  // namespace rivlen::app
