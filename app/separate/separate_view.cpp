// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/separate/separate_view.h"

#include <QGridLayout>
#include <QHBoxLayout>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "app/widgets/controls.h"
#include "app/widgets/kept_splitter.h"
#include "app/widgets/text.h"
#include "app/widgets/theme.h"
#include "core/workflow/looping.h"
#include "core/workflow/room_tone_rules.h"

namespace rivlen::app {

namespace {

constexpr int kSideWidth = 330, kLeastLanesWidth = 560;
constexpr int kTunePage = 0, kCorrectPage = 1;

}  // namespace

SeparateView::SeparateView(Document& document, JobList& jobs, Player& player, const QString& device,
                           QWidget* parent)
    : QWidget(parent),
      document_(document),
      jobs_(jobs),
      player_(player),
      measuring_(document, jobs),
      correcting_(document, jobs),
      doubting_(document, jobs),
      teaching_(document, jobs) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    auto* middle = new KeptSplitter(Qt::Horizontal, "separate_columns", this);
    middle->addWidget(build_lanes());
    middle->addWidget(build_side());
    middle->setStretchFactor(0, 1);
    middle->setStretchFactor(1, 0);
    middle->restore({kLeastLanesWidth, kSideWidth});
    column->addWidget(middle, 1);
    cards_ = new CardRow(document_, measuring_, this);
    cards_->setObjectName("cards");
    column->addWidget(cards_);
    transport_ = new RecordingTransport(document_, jobs_, player_, device, this);
    column->addWidget(transport_);
    connect(cards_, &CardRow::said, this, &SeparateView::said);
    connect(&document_, &Document::session_changed, this, &SeparateView::follow_session);
    connect(&document_, &Document::material_changed, this, &SeparateView::follow_material);
    connect(tuning_, &TuningPanel::line_wanted, this, &SeparateView::open_line);
    connect(line_, &SettingLineEditor::opened_or_closed, this,
            [this] { tuning_->show_line(line_->setting()); });
    connect(lanes_, &LaneCanvas::lane_clicked, this, [this](int lane) {
        if (lane > 0) choose_stem(lane - 1);
    });
    connect(&correcting_, &Correcting::said, this, &SeparateView::said);
    connect(&doubting_, &Doubting::said, this, &SeparateView::said);
    connect(&teaching_, &Teaching::said, this, &SeparateView::said);
    connect(&doubting_, &Doubting::changed, this, [this] {
        measuring_.set_doubt(doubting_.line_of(stem()).doubt);
        show_doubt(doubt_shown_);
        const auto count = doubting_.places().size();
        pages_->set_label(kCorrectPage, count > 0 ? tr("Correct (%1)").arg(count) : tr("Correct"));
    });
    connect(&correcting_, &Correcting::hearing_changed, this, &SeparateView::feed_material);
    connect(&correcting_, &Correcting::region_shown, this, &SeparateView::show_region);
    connect(correction_, &CorrectionPanel::tool_wanted, this, &SeparateView::take_tool);
    connect(regions_, &RegionEditor::pointed_at, correction_, &CorrectionPanel::show_pointed);
    connect(&document_, &Document::music_opened, this, [this] {
        follow_material();
        if (unfold_when_open_) show_unfolded(true);
    });
    choose_stem(0);
    follow_session();
    follow_material();
}

QWidget* SeparateView::build_side() {
    auto* side = new QWidget(this);
    side->setMinimumWidth(kSideWidth);
    auto* column = new QVBoxLayout(side);
    column->setContentsMargins(0, 0, 0, 0);
    picture_ = new PicturePane(side);
    picture_->setVisible(false);
    tuning_ = new TuningPanel(document_, measuring_, side);
    correction_ = new CorrectionPanel(correcting_, doubting_, side);
    teaching_panel_ = new TeachingPanel(teaching_, document_, *strip_, side);
    pages_ = new SidePages(side);
    pages_->add(tuning_, tr("Tune"), "page_tune", tr("Settings of the chosen stem."), false);
    pages_->add(correction_, tr("Correct"), "page_correct", tr("Put right by hand what the model got wrong."),
                true);
    pages_->add(teaching_panel_, tr("Teach"), "page_teach",
                tr("Let the model learn what sounds alone in this recording."), true);
    connect(pages_, &SidePages::page_changed, this, [this](int page) {
        if (page != kCorrectPage) correcting_.set_tool(Correcting::Tool::None);
    });
    column->addWidget(picture_);
    column->addWidget(pages_, 1);
    pages_->show_page(kTunePage);
    return side;
}

// Where there is little height the thumbnails over the lanes are picture enough.
void SeparateView::resizeEvent(QResizeEvent*) {
    constexpr int kRoomForPicture = 680, kPictureHeight = 76;
    const int high = height() < kRoomForPicture ? 0 : kPictureHeight;
    picture_->setFixedHeight(high);
}

void SeparateView::take_tool(Correcting::Tool tool) {
    if (!shown_source_) return emit said(tr("Bring in a recording first."), false);
    if (line_->setting()) line_->close_line();
    pages_->show_page(kCorrectPage);
    regions_->take_tool(tool, playhead_seconds());
}

void SeparateView::show_doubt(bool on) {
    doubt_shown_ = on;
    const auto shown = [on](const DoubtPicture& picture) {
        return on && picture.steps() > 0 ? std::make_shared<const DoubtPicture>(picture) : nullptr;
    };
    lanes_->show_doubt(shown(doubting_.line().picture), shown(doubting_.parts_line().picture));
}

void SeparateView::step_frequency_scale() {
    const std::array<QString, kFrequencyScales> names = {tr("linear"), tr("logarithmic"),
                                                         tr("as the ear has it")};
    FrequencyRange range = lanes_->range();
    range.scale = static_cast<FrequencyScale>((static_cast<std::size_t>(range.scale) + 1) % kFrequencyScales);
    if (!lanes_->enlarged()) return emit said(tr("Enlarge a lane first (E)."), false);
    lanes_->set_range(range);
    emit said(tr("Frequencies are laid out %1.").arg(names[static_cast<std::size_t>(range.scale)]), false);
}

// The map with the corrections; less of it while only a region or the rest is to be heard.
void SeparateView::feed_material() {
    player_.set_material(shown_source_, correcting_.heard(shown_map_));
}

void SeparateView::show_region(double first_seconds, double last_seconds) {
    if (first_seconds >= view_.start() && last_seconds <= view_.start() + view_.span()) return;
    const double span = std::max(view_.span(), 1.2 * (last_seconds - first_seconds));
    view_.show(std::max(0.0, (first_seconds + last_seconds - span) / 2), span);
}

void SeparateView::follow_session() {
    const auto* item = document_.current_item();
    for (std::size_t s = 0; s < kSounds; ++s) {
        const StemSettings settings = item != nullptr ? item->edited().stems[s] : StemSettings{};
        solo_[s]->setChecked(settings.solo);
        mute_[s]->setChecked(settings.mute);
        solo_[s]->setEnabled(item != nullptr);
        mute_[s]->setEnabled(item != nullptr);
    }
    transport_->follow_session();
    feed_player();
    transport_->measure_soon();
}

// While a blind comparison runs, it alone decides what is heard.
void SeparateView::feed_player() {
    const auto* item = document_.current_item();
    if (item != nullptr) player_.set_loop(item->heard_loop());
    const bool blind = blind_ != nullptr && blind_->running();
    transport_->hold_levels(blind);
    if (blind) return;
    player_.set_monitor(document_.session().monitor);
    if (item != nullptr) player_.set_settings(item->timed());
}

void SeparateView::follow_material() {
    const Material* material = document_.current_material();
    const auto source = document_.source();
    const auto heard = document_.map_so_far();
    if (source != shown_source_ || heard != shown_map_) {
        if (source != shown_source_) {
            view_.set_total(source ? source->seconds() : 1.0);
            unfold_when_open_ = false;
        }
        shown_source_ = source;
        shown_map_ = heard;
        feed_material();
        emit recording_changed();
        picture_->set_picture(source && material->info.picture ? source->original()
                                                               : std::filesystem::path());
        transport_->measure_soon();
        correction_->show_parts(music_is_open());
        if (!music_is_open() && lanes_->unfolded()) show_unfolded(false);
    }
    unfold_->setEnabled(document_.map() != nullptr);
    transport_->follow_material();
}

void SeparateView::follow_time() {
    if (!shown_source_) return;
    const RecordingFrame at{player_.position()};
    const double seconds = playhead_seconds();
    const bool playing = player_.playing();
    if (document_.playhead() != at) {
        document_.set_playhead(at);
        tuning_->follow_playhead();
        tuning_->update();
    }
    const QString shown = strip_->time_text().of(seconds);
    if (shown != transport_->shown_time() || playing) {
        transport_->show_time(shown);
        if (playing) view_.follow(seconds);
        picture_->show_time(seconds);
        lanes_->update();
        strip_->update();
        overview_->update();
    }
    transport_->follow_playing();
}

bool SeparateView::settled() const {
    return measuring_.settled() && transport_->settled() && correcting_.settled() && doubting_.settled() &&
           teaching_.settled();
}

double SeparateView::playhead_seconds() const {
    return shown_source_ ? static_cast<double>(player_.position()) / shown_source_->sample_rate() : 0.0;
}

void SeparateView::step_pre_roll() {
    if (!shown_source_ || document_.current_item() == nullptr) return;
    int seconds = 0;
    document_.edit(tr("Pre-roll"), {}, [&](Session& s) {
        seconds =
            rivlen::step_pre_roll(s.items[static_cast<std::size_t>(s.current)], shown_source_->sample_rate());
    });
    emit said(seconds > 0 ? tr("The loop begins %1 s before its range each time.").arg(seconds)
                          : tr("The loop begins with its range."),
              false);
}

void SeparateView::toggle_own_settings() {
    const auto* item = document_.current_item();
    if (item == nullptr || !item->loop || !shown_source_)
        return emit said(tr("Set a loop range first: drag over the lanes."), false);
    bool own = false;
    document_.edit(tr("Own settings for the loop range"), {}, [&](Session& s) {
        own = rivlen::toggle_own_settings(s.items[static_cast<std::size_t>(s.current)],
                                          shown_source_->sample_rate());
    });
    emit said(own ? tr("While the loop stands on this range, the controls change its own settings. Ctrl+R "
                       "drops them.")
                  : tr("The loop range follows the settings of the whole again."),
              false);
}

void SeparateView::mark_room_tone() {
    if (document_.current_item() == nullptr || !shown_source_) return;
    Result<bool> marked = false;
    document_.edit(tr("Room tone"), {}, [&](Session& s) {
        marked = rivlen::mark_room_tone(s.items[static_cast<std::size_t>(s.current)],
                                        shown_source_->sample_rate());
    });
    if (!marked) return emit said(text(marked.error().message), false);
    emit said(*marked ? tr("The loop range is this recording's room tone.")
                      : tr("Room tone is looked for in the pauses again."),
              false);
}

void SeparateView::go_to_start() {
    const auto* item = document_.current_item();
    const auto loop = item != nullptr ? item->heard_loop() : std::nullopt;
    player_.locate(loop ? loop->first : 0);
}

void SeparateView::move_playhead(double by_seconds) {
    if (!shown_source_) return;
    player_.locate(player_.position() + std::llround(by_seconds * shown_source_->sample_rate()));
}

void SeparateView::nudge(int picture_frames) {
    move_playhead(picture_frames * strip_->time_text().frame_seconds());
}

void SeparateView::change_isolation(double by) {
    const double now = document_.shown_settings().stems[stem()].value(Setting::Isolation);
    document_.set_value(tr("Isolation"), stem(), Setting::Isolation, std::clamp(now + by, 0.0, 100.0));
}

void SeparateView::open_line(Setting setting, bool open) {
    if (!open) return line_->close_line();
    if (!shown_source_) {
        tuning_->show_line({});
        return emit said(tr("Bring in a recording first."), false);
    }
    line_->open(stem(), setting);
    line_->setFocus();
}

void SeparateView::remove_line() {
    const Setting setting = line_->setting().value_or(tuning_->touched());
    document_.edit_lines(tr("Remove the line"), {}, [&](std::vector<SettingLane>& lines) {
        std::erase_if(lines, [&](const SettingLane& l) { return l.stem == stem() && l.setting == setting; });
    });
}

void SeparateView::compare_blind() {
    if (document_.current_item() == nullptr || !shown_map_)
        return emit said(tr("Split the recording first."), false);
    if (blind_ == nullptr) {
        blind_ = new BlindComparison(document_, jobs_, player_, this);
        connect(blind_, &BlindComparison::ended, this, [this] {
            feed_player();
            transport_->measure_soon();
        });
        connect(blind_, &BlindComparison::said, this, &SeparateView::said);
    }
    blind_->show();
    blind_->raise();
}

void SeparateView::show_loop() {
    const auto* item = document_.current_item();
    if (item == nullptr || !item->loop || !shown_source_) return;
    const double rate = shown_source_->sample_rate();
    const double span = static_cast<double>(item->loop->last - item->loop->first) / rate;
    view_.show(static_cast<double>(item->loop->first) / rate - span * 0.1, span * 1.2);
}

}  // namespace rivlen::app
