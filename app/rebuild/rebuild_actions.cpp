// SPDX-License-Identifier: GPL-3.0-or-later
// What can be done in the Rebuild view, with its keys.
#include "app/rebuild/rebuild_view.h"
#include "app/widgets/file_dialogs.h"
#include "app/widgets/text.h"

namespace rivlen::app {

namespace {
constexpr int kRowStep = 26;        // pixels
constexpr double kPageShare = 0.8;  // of what is shown
}  // namespace

std::vector<ActionMenu> RebuildView::menus() {
    return {listen_menu(), clip_menu(), track_menu(), show_menu()};
}

ActionMenu RebuildView::listen_menu() {
    const auto jog_by = [this](int frames) { return [this, frames] { jog(frames); }; };
    return {
        tr("Listen"),
        {{
             {"mix_play", tr("Play or stop"), {QKeySequence("Space")}, [this] { play_or_stop(); }},
             {"mix_loop", tr("Loop on or off"), {QKeySequence("L")}, [this] { toggle_loop(); }},
             {"mix_start", tr("Go to the start"), {QKeySequence("Home")}, [this] { go_to_start(); }},
             {"mix_frame_back", tr("One frame back"), {QKeySequence(","), QKeySequence("Left")}, jog_by(-1)},
             {"mix_frame_on", tr("One frame on"), {QKeySequence("."), QKeySequence("Right")}, jog_by(1)},
             {"mix_frames_back", tr("Ten frames back"), {QKeySequence("Shift+Left")}, jog_by(-10)},
             {"mix_frames_on", tr("Ten frames on"), {QKeySequence("Shift+Right")}, jog_by(10)},
         },
         {
             {"headphones",
              tr("On headphones, or folded down to stereo"),
              {QKeySequence("H")},
              [this] { listening_.toggle(Monitoring::Headphones); }},
             {"loudspeakers",
              tr("On the device's loudspeakers, or folded down to stereo"),
              {QKeySequence("Shift+H")},
              [this] { listening_.toggle(Monitoring::Loudspeakers); },
              [this] { return listening_.has_loudspeakers(); }},
             {"choose_head", tr("Head responses of your own…"), {}, [this] { ask_head(); }},
             {"standard_head", tr("Standard head responses"), {}, [this] { listening_.choose_head({}); }},
         },
         {
             {"marker",
              tr("Set a marker here, or take it away"),
              {QKeySequence("B")},
              [this] { toggle_marker_here(); }},
             {"marker_next", tr("Next marker"), {QKeySequence("Alt+Right")}, [this] { go_to_marker(true); }},
             {"marker_before",
              tr("Marker before"),
              {QKeySequence("Alt+Left")},
              [this] { go_to_marker(false); }},
         }}};
}

void RebuildView::ask_head() {
    if (const auto file = ask_file(this, tr("Head responses"), FileKind::Head)) listening_.choose_head(*file);
}

ActionMenu RebuildView::clip_menu() {
    ClipActs* c = &clip_acts_;
    std::vector<Action> edits = {
        {"cut", tr("Cut at the playhead"), {QKeySequence("T")}, [c] { c->split_at_playhead(); }},
        {"trim_start",
         tr("Trim the start to the playhead"),
         {QKeySequence("[")},
         [c] { c->trim_to_playhead(true); }},
        {"trim_end",
         tr("Trim the end to the playhead"),
         {QKeySequence("]")},
         [c] { c->trim_to_playhead(false); }},
        {"delete",
         tr("Delete, leave the gap"),
         {QKeySequence("Delete"), QKeySequence("Backspace")},
         [this] { remove(false); }},
        {"delete_close",
         tr("Delete, close the gap"),
         {QKeySequence("Shift+Delete"), QKeySequence("Shift+Backspace")},
         [this] { remove(true); }},
        {"copy", tr("Copy behind itself"), {QKeySequence("C")}, [c] { c->copy_behind(); }},
        {"cross_fade", tr("Cross-fade with the next"), {QKeySequence("X")}, [c] { c->cross_fade_to_next(); }},
        {"mute_clips", tr("Mute or unmute clips"), {QKeySequence("M")}, [c] { c->mute_clips(); }},
        {"mute_loop",
         tr("Mute the loop range on this track"),
         {QKeySequence("Shift+M")},
         [this] { room_tone_.mute_loop_range(); }},
        {"room_tone",
         tr("Room tone in place of what clips play"),
         {QKeySequence("O")},
         [this] { room_tone_.toggle(); }},
        {"lay_room_tone",
         tr("Lay room tone in the gaps of the loop range"),
         {QKeySequence("Shift+O")},
         [this] { room_tone_.lay_in_loop_range(); }},
    };
    std::vector<Action> places = {
        {"nudge_earlier", tr("Nudge earlier"), {QKeySequence("Ctrl+Left")}, [c] { c->nudge(-1); }},
        {"nudge_later", tr("Nudge later"), {QKeySequence("Ctrl+Right")}, [c] { c->nudge(1); }},
        {"nudge_unit", tr("Nudge by another unit"), {QKeySequence("Shift+N")}, [this] { step_nudge_unit(); }},
        {"own_timecode",
         tr("To their own timecode"),
         {QKeySequence("Shift+W")},
         [c] { c->to_own_timecode(); }},
        {"align",
         tr("Align to the first chosen clip"),
         {QKeySequence("A")},
         [this] { aligning_.align_chosen(); }},
        {"match_tone",
         tr("Match the tone to the first chosen clip"),
         {QKeySequence("Shift+A")},
         [this] { aligning_.match_tone_of_chosen(); }},
        {"pull_down", tr("Pull down by a thousandth"), {}, [this] { pulling_.pull_chosen(Pull::Down); }},
        {"pull_up", tr("Pull up by a thousandth"), {}, [this] { pulling_.pull_chosen(Pull::Up); }},
    };
    std::vector<Action> ways = {
        {"group", tr("Group"), {QKeySequence("G")}, [c] { c->group_clips(true); }},
        {"ungroup", tr("Ungroup"), {QKeySequence("U")}, [c] { c->group_clips(false); }},
        {"groups", tr("Edit groups as one, or not"), {QKeySequence("Shift+G")}, [this] { toggle_groups(); }},
        {"snap", tr("Snap or not"), {QKeySequence("N")}, [this] { toggle_snapping(); }},
        {"open_music_clips",
         tr("The music of clips in its parts"),
         {QKeySequence("Shift+U")},
         [c] { c->open_music(); }},
        {"silences", tr("Silences in talk…"), {QKeySequence("Shift+S")}, [this] { toggle_silences(); }},
    };
    return {tr("Clip"), {edits, places, ways}};
}

ActionMenu RebuildView::track_menu() {
    ClipActs* c = &clip_acts_;
    std::vector<Action> material = {
        {"place_stems",
         tr("Place the stems of the recording"),
         {QKeySequence("Shift+P")},
         [this] { place_stems(); }},
        {"add_file",
         tr("Bring a file onto the track…"),
         {QKeySequence("Shift+B")},
         [this] { ask_file_for_track(); }},
        {"look_at_track", tr("First look…"), {QKeySequence("F")}, [this] { look_at(selection_.strip()); }},
        {"record", tr("Record"), {QKeySequence("Shift+R")}, [this] { take_.toggle(); }},
        {"recording_delay", tr("Measure the recording delay"), {}, [this] { take_.measure_delay(); }},
        {"track_line", tr("Line over time"), {QKeySequence("Y")}, [this] { toggle_line(); }},
    };
    std::vector<Action> tracks = {
        {"add_track", tr("Add a track"), {QKeySequence("Shift+T")}, [c] { c->add_track(); }},
        {"add_bus", tr("Add a bus"), {}, [c] { c->add_bus(); }},
        {"remove_strip", tr("Remove the track or bus"), {}, [c] { c->remove_strip(); }},
        {"track_above", tr("Track above"), {QKeySequence("Up")}, [this] { choose_next_strip(-1); }},
        {"track_below", tr("Track below"), {QKeySequence("Down")}, [this] { choose_next_strip(1); }},
        {"track_up", tr("Move the track up"), {QKeySequence("Ctrl+Up")}, [c] { c->move_strip(-1); }},
        {"track_down", tr("Move the track down"), {QKeySequence("Ctrl+Down")}, [c] { c->move_strip(1); }},
    };
    std::vector<Action> out = {
        {"write_mix", tr("Write the mix…"), {QKeySequence("Ctrl+M")}, [this] { ask_mix_file(); }}};
    return {tr("Track"), {material, tracks, out}};
}

ActionMenu RebuildView::show_menu() {
    return {tr("Show"),
            {{
                {"mix_closer", tr("Closer"), {QKeySequence("+"), QKeySequence("=")}, [this] { zoom(0.5); }},
                {"mix_wider", tr("Wider"), {QKeySequence("-")}, [this] { zoom(2.0); }},
                {"mix_show_all", tr("Everything"), {QKeySequence("W")}, [this] { show_all(); }},
                {"mix_show_loop", tr("Loop range"), {QKeySequence("Z")}, [this] { show_loop(); }},
                {"mix_earlier",
                 tr("Earlier"),
                 {QKeySequence("Ctrl+PgUp")},
                 [this] { view_.scroll(-kPageShare * view_.span()); }},
                {"mix_later",
                 tr("Later"),
                 {QKeySequence("Ctrl+PgDown")},
                 [this] { view_.scroll(kPageShare * view_.span()); }},
                {"rows_higher",
                 tr("Higher rows"),
                 {QKeySequence("Shift+Down")},
                 [this] { area_->set_row_height(area_->canvas().row_height() + kRowStep); }},
                {"rows_lower",
                 tr("Lower rows"),
                 {QKeySequence("Shift+Up")},
                 [this] { area_->set_row_height(area_->canvas().row_height() - kRowStep); }},
                {"picture_window",
                 tr("Picture in a window of its own"),
                 {QKeySequence("V")},
                 [this] { show_picture_window(); }},
            }}};
}

void RebuildView::step_nudge_unit() {
    const auto next = (static_cast<std::size_t>(clip_acts_.nudge_unit()) + 1) % kNudgeUnits;
    clip_acts_.set_nudge_unit(static_cast<NudgeUnit>(next));
    emit said(tr("Clips are nudged by %1.").arg(words(kNudgeUnitLabels[next])), false);
}

void RebuildView::ask_mix_file() {
    if (const auto file = ask_new_file(this, tr("Write the mix"), FileKind::Mix)) write_mix(*file);
}

}  // namespace rivlen::app
