// SPDX-License-Identifier: GPL-3.0-or-later
// What can be done in the Separate view, with its keys.
#include "app/separate/separate_view.h"
#include "app/widgets/theme.h"

namespace rivlen::app {

namespace {
constexpr double kPageShare = 0.8;  // of what is shown
}  // namespace

std::vector<ActionMenu> SeparateView::menus() {
    return {listen_menu(), stem_menu(), tune_menu(), correct_menu(), teach_menu(), show_menu()};
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
             [this] { transport_->set_monitor(monitor_of_sound(stem())); }},
            {"monitor_cut", tr("Cut"), {QKeySequence("X")}, listen_to(Monitor::Cut)},
            {"level_match",
             tr("Level match"),
             {QKeySequence("G")},
             [this] { transport_->toggle_level_match(); }},
            {"loop", tr("Loop on or off"), {QKeySequence("L")}, [this] { transport_->toggle_loop(); }},
            {"begin_loop",
             tr("Loop begins at the playhead"),
             {QKeySequence("Ctrl+,")},
             [this] { transport_->begin_loop(); }},
            {"end_loop",
             tr("Loop ends at the playhead"),
             {QKeySequence("Ctrl+.")},
             [this] { transport_->end_loop(); }},
            {"pre_roll",
             tr("Loop with more or no pre-roll"),
             {QKeySequence("Shift+L")},
             [this] { step_pre_roll(); }},
            {"start", tr("Go to the start"), {QKeySequence("Home")}, [this] { go_to_start(); }},
            {"frame_back", tr("One frame back"), {QKeySequence(",")}, [this] { nudge(-1); }},
            {"frame_on", tr("One frame on"), {QKeySequence(".")}, [this] { nudge(1); }},
            {"second_back", tr("One second back"), {QKeySequence("Shift+,")}, [this] { move_playhead(-1); }},
            {"second_on", tr("One second on"), {QKeySequence("Shift+.")}, [this] { move_playhead(1); }},
        }}};
}

ActionMenu SeparateView::stem_menu() {
    return {
        tr("Stem"),
        {{
             {"stem_above", tr("Stem above"), {QKeySequence("Up")}, [this] { step_stem(-1); }},
             {"stem_below", tr("Stem below"), {QKeySequence("Down")}, [this] { step_stem(1); }},
             {"solo", tr("Solo"), {QKeySequence("O")}, [this] { solo_[stem()]->click(); }},
             {"mute", tr("Mute"), {QKeySequence("M")}, [this] { mute_[stem()]->click(); }},
             {"less_isolation", tr("Less isolation"), {QKeySequence("[")}, [this] { change_isolation(-5); }},
             {"more_isolation", tr("More isolation"), {QKeySequence("]")}, [this] { change_isolation(5); }},
         },
         {
             {"music_in_parts",
              tr("The music in its parts, or as one"),
              {QKeySequence("Shift+U")},
              [this] { unfold_music(!lanes_->unfolded()); }},
             {"instrumental",
              tr("Instrumental: the music without its voices"),
              {QKeySequence("Shift+I")},
              [this] { hear_music(MusicHeard::Instrumental); }},
             {"voices_only",
              tr("Of the music the voices only"),
              {QKeySequence("Shift+J")},
              [this] { hear_music(MusicHeard::VoicesOnly); }},
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
        {"mark_room_tone",
         tr("Room tone is the loop range, or is found"),
         {QKeySequence("Alt+5")},
         [this] { mark_room_tone(); }},
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

ActionMenu SeparateView::correct_menu() {
    Correcting* c = &correcting_;
    const auto tool = [this](Correcting::Tool t) { return [this, t] { take_tool(t); }; };
    const auto act = [c](CorrectionAct a) { return [c, a] { c->act(a); }; };
    const auto hear = [c](Correcting::Hearing what) {
        return [c, what] { c->hear(c->hearing() == what ? Correcting::Hearing::All : what); };
    };
    std::vector<Action> tools = {
        {"draw_box", tr("Draw a box"), {QKeySequence("Q")}, tool(Correcting::Tool::Box)},
        {"draw_outline", tr("Draw an outline"), {QKeySequence("U")}, tool(Correcting::Tool::Outline)},
        {"draw_brush", tr("Draw with the brush"), {QKeySequence("I")}, tool(Correcting::Tool::Brush)},
    };
    std::vector<Action> acts;
    for (std::size_t s = 0; s < kStems; ++s)
        acts.push_back({QString("give_%1").arg(kStemNames[s]),
                        tr("Give to %1").arg(stem_label(s)),
                        {QKeySequence(QString("Ctrl+%1").arg(s + 1))},
                        [c, s] { c->give(s); }});
    acts.push_back({"take_down", tr("Take down"), {QKeySequence("Ctrl+5")}, act(CorrectionAct::TakeDown)});
    acts.push_back({"fill", tr("Fill"), {QKeySequence("Ctrl+6")}, act(CorrectionAct::Fill)});
    acts.push_back({"share_as_before",
                    tr("As the model had it"),
                    {QKeySequence("Ctrl+7")},
                    act(CorrectionAct::ShareAsBefore)});
    acts.push_back({"harmonics", tr("On all its partials, or not"), {QKeySequence("Shift+H")}, [c] {
                        c->set_harmonics(!c->shown().region.harmonics);
                    }});
    std::vector<Action> hearing = {
        {"hear_region", tr("Hear only the region"), {QKeySequence("V")}, hear(Correcting::Hearing::Region)},
        {"hear_rest", tr("Hear only the rest"), {QKeySequence("Shift+V")}, hear(Correcting::Hearing::Rest)},
    };
    std::vector<Action> list = {
        {"next_correction", tr("Next correction"), {QKeySequence("PgDown")}, [c] { c->step(1); }},
        {"correction_before", tr("Correction before"), {QKeySequence("PgUp")}, [c] { c->step(-1); }},
        {"correction_on",
         tr("Correction on or off"),
         {QKeySequence("C")},
         [c] {
             if (c->chosen() != 0) c->switch_on(c->chosen(), !c->shown().on);
         }},
        {"corrections_all",
         tr("All corrections off or on"),
         {QKeySequence("Shift+C")},
         [c] { c->switch_all(); }},
        {"remove_correction", tr("Remove the correction"), {QKeySequence("Delete")}, [c] { c->remove(); }},
        {"places_like_this", tr("Places like this"), {QKeySequence("T")}, [c] { c->find_similar(); }},
        {"same_at_all_places",
         tr("The same at all places"),
         {QKeySequence("Shift+T")},
         [c] { c->take_all_places(); }},
    };
    return {tr("Correct"), {tools, acts, hearing, list}};
}

ActionMenu SeparateView::teach_menu() {
    Teaching* t = &teaching_;
    const auto mark = [t](std::size_t sound) { return [t, sound] { t->mark(sound); }; };
    const auto mark_part = [this, mark](const char* id, const QString& words, MusicPart part) {
        return Action{id, words, {}, mark(sound_of(part)), [this] { return music_is_open(); }};
    };
    return {tr("Teach"),
            {{
                 {"mark_dialogue",
                  tr("Here is only a talker"),
                  {QKeySequence("Alt+1")},
                  mark(static_cast<std::size_t>(Stem::Dialogue))},
                 {"mark_music", tr("Here is only music"), {QKeySequence("Alt+3")}, mark(kMusicSound)},
                 {"mark_ambience",
                  tr("Here is only ambience"),
                  {QKeySequence("Alt+4")},
                  mark(static_cast<std::size_t>(Stem::Ambience))},
                 mark_part("mark_voices", tr("Here are only voices of the music"), MusicPart::Voices),
                 mark_part("mark_drums", tr("Here are only drums"), MusicPart::Drums),
                 mark_part("mark_bass", tr("Here is only a bass"), MusicPart::Bass),
                 mark_part("mark_rest", tr("Here is only the rest of the music"), MusicPart::Rest),
             },
             {
                 {"teach",
                  tr("Teach what is marked"),
                  {QKeySequence("Ctrl+T")},
                  [this] { teaching_.teach(teaching_steps(teaching_panel_->length())); }},
                 {"use_taught_or_not",
                  tr("With what was taught, or without"),
                  {QKeySequence("J")},
                  [t] { t->use_taught(t->taught() != nullptr && !t->taught()->in_use); },
                  [t] { return t->taught() != nullptr; }},
                 {"forget_taught",
                  tr("Forget what was taught"),
                  {},
                  [t] { t->forget_taught(); },
                  [t] { return t->taught() != nullptr; }},
             }}};
}

ActionMenu SeparateView::show_menu() {
    return {tr("Show"),
            {{
                 {"closer",
                  tr("Closer"),
                  {QKeySequence("+"), QKeySequence("=")},
                  [this] { view_.zoom(0.5, playhead_seconds()); }},
                 {"wider", tr("Wider"), {QKeySequence("-")}, [this] { view_.zoom(2.0, playhead_seconds()); }},
                 {"earlier",
                  tr("Earlier"),
                  {QKeySequence("Ctrl+PgUp")},
                  [this] { view_.scroll(-kPageShare * view_.span()); }},
                 {"later",
                  tr("Later"),
                  {QKeySequence("Ctrl+PgDown")},
                  [this] { view_.scroll(kPageShare * view_.span()); }},
                 {"show_all",
                  tr("Whole recording"),
                  {QKeySequence("W")},
                  [this] { view_.show(0, view_.total()); }},
                 {"show_loop", tr("Loop range"), {QKeySequence("Z")}, [this] { show_loop(); }},
             },
             {
                 {"show_doubt",
                  tr("What is doubted, on the lanes"),
                  {QKeySequence("Shift+W")},
                  [this] {
                      show_doubt(!doubt_shown_);
                      emit said(doubt_shown_
                                    ? tr("Over the source, unfolded music, and an enlarged lane: where "
                                         "the masks may be wrong.")
                                    : QString(),
                                false);
                  }},
                 {"enlarge_lane",
                  tr("Chosen stem over the whole height"),
                  {QKeySequence("E")},
                  [this] { enlarge_lane(!lanes_->enlarged()); }},
                 {"frequency_closer",
                  tr("Frequencies closer"),
                  {QKeySequence("Ctrl+Up")},
                  [this] { lanes_->zoom_frequencies(0.7, lanes_->range().hz_at(0.5)); }},
                 {"frequency_wider",
                  tr("Frequencies wider"),
                  {QKeySequence("Ctrl+Down")},
                  [this] { lanes_->zoom_frequencies(1 / 0.7, lanes_->range().hz_at(0.5)); }},
                 {"frequency_higher",
                  tr("Higher frequencies"),
                  {QKeySequence("Shift+Up")},
                  [this] { lanes_->scroll_frequencies(0.2); }},
                 {"frequency_lower",
                  tr("Lower frequencies"),
                  {QKeySequence("Shift+Down")},
                  [this] { lanes_->scroll_frequencies(-0.2); }},
                 {"frequency_scale",
                  tr("Another frequency scale"),
                  {QKeySequence("Shift+E")},
                  [this] { step_frequency_scale(); }},
             }}};
}

}  // namespace rivlen::app
