// SPDX-License-Identifier: GPL-3.0-or-later
// What can be done in the Separate view, with its keys.
#include "app/separate/separate_view.h"

namespace rivlen::app {

std::vector<ActionMenu> SeparateView::menus() {
    return {listen_menu(), stem_menu(), tune_menu(), show_menu()};
}

ActionMenu SeparateView::listen_menu() {
    const auto listen_to = [this](Monitor monitor) {
        return [this, monitor] { transport_->set_monitor(monitor); };
    };
    return {
        tr("Listen"),
        {{
            {"play", tr("Play or stop"), {QKeySequence("Space")}, [this] { transport_->play_or_stop(); }},
            {"monitor_source", tr("Source"), {QKeySequence("A")}, listen_to(Monitor::Source)},
            {"monitor_kept", tr("Kept"), {QKeySequence("S")}, listen_to(Monitor::Kept)},
            {"monitor_removed", tr("Removed"), {QKeySequence("D")}, listen_to(Monitor::Removed)},
            {"stem_alone",
             tr("Chosen stem alone"),
             {QKeySequence("F")},
             [this] {
                 transport_->set_monitor(static_cast<Monitor>(static_cast<int>(Monitor::Dialogue) + stem_));
             }},
            {"level_match",
             tr("Level match"),
             {QKeySequence("G")},
             [this] { transport_->toggle_level_match(); }},
            {"loop", tr("Loop on or off"), {QKeySequence("L")}, [this] { transport_->toggle_loop(); }},
            {"pre_roll",
             tr("Loop with more or no pre-roll"),
             {QKeySequence("Shift+L")},
             [this] { step_pre_roll(); }},
            {"start", tr("Go to the start"), {QKeySequence("Home")}, [this] { go_to_start(); }},
            {"frame_back", tr("One frame back"), {QKeySequence(",")}, [this] { nudge(-1); }},
            {"frame_on", tr("One frame on"), {QKeySequence(".")}, [this] { nudge(1); }},
        }}};
}

ActionMenu SeparateView::stem_menu() {
    return {
        tr("Stem"),
        {{
            {"stem_above",
             tr("Stem above"),
             {QKeySequence("Up")},
             [this] { choose_stem(std::max(0, stem_ - 1)); }},
            {"stem_below",
             tr("Stem below"),
             {QKeySequence("Down")},
             [this] { choose_stem(std::min(kStems - 1, stem_ + 1)); }},
            {"solo", tr("Solo"), {QKeySequence("O")}, [this] { solo_[stem()]->click(); }},
            {"mute", tr("Mute"), {QKeySequence("M")}, [this] { mute_[stem()]->click(); }},
            {"less_isolation", tr("Less isolation"), {QKeySequence("[")}, [this] { change_isolation(-5); }},
            {"more_isolation", tr("More isolation"), {QKeySequence("]")}, [this] { change_isolation(5); }},
        }}};
}

ActionMenu SeparateView::tune_menu() {
    std::vector<Action> proposals = {
        {"take_proposal", tr("Take the proposal"), {QKeySequence("P")}, [this] { tuning_->take_proposal(); }},
        {"next_spot", tr("Next worst spot"), {QKeySequence("N")}, [this] { risk_->step(1); }},
        {"spot_before", tr("Worse spot before"), {QKeySequence("Shift+N")}, [this] { risk_->step(-1); }},
    };
    std::vector<Action> cards;
    for (std::size_t i = 0; i < kCards; ++i) {
        const QString key = QString("F%1").arg(i + 2);
        cards.push_back({QString("take_card_%1").arg(i + 1),
                         tr("Take card %1").arg(i + 1),
                         {QKeySequence(key)},
                         [this, i] { cards_->recall(i); }});
        cards.push_back({QString("keep_card_%1").arg(i + 1),
                         tr("Keep on card %1").arg(i + 1),
                         {QKeySequence("Shift+" + key)},
                         [this, i] { cards_->store(i); }});
    }
    std::vector<Action> settings = {
        {"line_over_time",
         tr("Line over time"),
         {QKeySequence("Y")},
         [this] { open_line(tuning_->touched(), !line_->setting()); }},
        {"remove_line", tr("Remove the line"), {QKeySequence("Shift+Y")}, [this] { remove_line(); }},
        {"own_settings",
         tr("Own settings for the loop range"),
         {QKeySequence("Ctrl+R")},
         [this] { toggle_own_settings(); }},
        {"reset_stem",
         tr("Reset this stem"),
         {QKeySequence("R")},
         [this] {
             document_.edit_settings(tr("Reset stem"), {},
                                     [this](ShapeSettings& x) { x.stems[stem()] = {}; });
         }},
        {"reset_all",
         tr("Reset all stems"),
         {QKeySequence("Shift+R")},
         [this] { document_.edit_settings(tr("Reset all stems"), {}, [](ShapeSettings& x) { x = {}; }); }},
        {"compare_blind", tr("Compare blind…"), {QKeySequence("B")}, [this] { compare_blind(); }},
    };
    return {tr("Tune"), {proposals, cards, settings}};
}

ActionMenu SeparateView::show_menu() {
    return {tr("Show"),
            {{
                {"closer",
                 tr("Closer"),
                 {QKeySequence("+"), QKeySequence("=")},
                 [this] { view_.zoom(0.5, playhead_seconds()); }},
                {"wider", tr("Wider"), {QKeySequence("-")}, [this] { view_.zoom(2.0, playhead_seconds()); }},
                {"show_all",
                 tr("Whole recording"),
                 {QKeySequence("W")},
                 [this] { view_.show(0, view_.total()); }},
                {"show_loop", tr("Loop range"), {QKeySequence("Z")}, [this] { show_loop(); }},
            }}};
}

}  // namespace rivlen::app
