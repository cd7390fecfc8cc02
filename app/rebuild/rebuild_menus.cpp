// SPDX-License-Identifier: GPL-3.0-or-later
// The acts of the Rebuild view with their keys.
#include <QFileDialog>
#include <QMenu>

#include "app/shell/main_window.h"

namespace rivlen::app {

void MainWindow::build_rebuild_menus() {
    RebuildView* r = rebuild_;
    auto* listen = add_menu(tr("Listen"), View::Rebuild);
    add_act(listen, tr("Play or stop"), {QKeySequence("Space")}, [r] { r->play_or_stop(); });
    add_act(listen, tr("Loop on or off"), {QKeySequence("L")}, [r] { r->toggle_loop(); });
    add_act(listen, tr("Go to the start"), {QKeySequence("Home")}, [r] { r->go_to_start(); });
    add_act(listen, tr("One frame back"), {QKeySequence(","), QKeySequence("Left")}, [r] { r->jog(-1); });
    add_act(listen, tr("One frame on"), {QKeySequence("."), QKeySequence("Right")}, [r] { r->jog(1); });
    add_act(listen, tr("Ten frames back"), {QKeySequence("Shift+Left")}, [r] { r->jog(-10); });
    add_act(listen, tr("Ten frames on"), {QKeySequence("Shift+Right")}, [r] { r->jog(10); });

    auto* clip = add_menu(tr("Clip"), View::Rebuild);
    add_act(clip, tr("Cut at the playhead"), {QKeySequence("T")}, [r] { r->split_at_playhead(); });
    add_act(clip, tr("Trim the start to the playhead"), {QKeySequence("[")},
            [r] { r->trim_to_playhead(true); });
    add_act(clip, tr("Trim the end to the playhead"), {QKeySequence("]")},
            [r] { r->trim_to_playhead(false); });
    add_act(clip, tr("Delete, leave the gap"), {QKeySequence("Delete"), QKeySequence("Backspace")},
            [r] { r->remove(false); });
    add_act(clip, tr("Delete, close the gap"),
            {QKeySequence("Shift+Delete"), QKeySequence("Shift+Backspace")}, [r] { r->remove(true); });
    add_act(clip, tr("Copy behind itself"), {QKeySequence("C")}, [r] { r->copy_behind(); });
    add_act(clip, tr("Cross-fade with the next"), {QKeySequence("X")}, [r] { r->cross_fade_to_next(); });
    add_act(clip, tr("Mute or unmute clips"), {QKeySequence("M")}, [r] { r->mute_clips(); });
    add_act(clip, tr("Mute the loop range on this track"), {QKeySequence("Shift+M")},
            [r] { r->mute_loop_range(); });
    add_act(clip, tr("Group"), {QKeySequence("G")}, [r] { r->group_clips(true); });
    add_act(clip, tr("Ungroup"), {QKeySequence("U")}, [r] { r->group_clips(false); });
    add_act(clip, tr("Edit groups as one, or not"), {QKeySequence("Shift+G")}, [r] { r->toggle_groups(); });
    add_act(clip, tr("Snap or not"), {QKeySequence("N")}, [r] { r->toggle_snapping(); });
    add_act(clip, tr("Silences in talk…"), {QKeySequence("Shift+S")}, [r] { r->toggle_silences(); });

    auto* track = add_menu(tr("Track"), View::Rebuild);
    add_act(track, tr("Place the stems of the recording"), {QKeySequence("Shift+P")},
            [r] { r->place_stems(); });
    add_act(track, tr("Bring a file onto the track…"), {QKeySequence("Shift+B")},
            [r] { r->ask_file_for_track(); });
    add_act(track, tr("First look…"), {QKeySequence("F")}, [r] { r->look_at(r->selection().strip()); });
    add_act(track, tr("Record"), {QKeySequence("Shift+R")}, [r] { r->toggle_record(); });
    add_act(track, tr("Line over time"), {QKeySequence("Y")}, [r] { r->toggle_line(); });
    add_act(track, tr("Add a track"), {QKeySequence("Shift+T")}, [r] { r->add_track(); });
    add_act(track, tr("Add a bus"), {}, [r] { r->add_bus(); });
    add_act(track, tr("Remove the track or bus"), {}, [r] { r->remove_strip(); });
    add_act(track, tr("Track above"), {QKeySequence("Up")}, [r] { r->choose_next_strip(-1); });
    add_act(track, tr("Track below"), {QKeySequence("Down")}, [r] { r->choose_next_strip(1); });
    add_act(track, tr("Move the track up"), {QKeySequence("Ctrl+Up")}, [r] { r->move_strip(-1); });
    add_act(track, tr("Move the track down"), {QKeySequence("Ctrl+Down")}, [r] { r->move_strip(1); });
    add_act(track, tr("Write the mix…"), {QKeySequence("Ctrl+M")}, [this, r] {
        const QString file =
            QFileDialog::getSaveFileName(this, tr("Write the mix"), {}, tr("Sound (*.wav *.flac)"));
        if (!file.isEmpty()) r->write_mix(file.toStdString());
    });

    auto* show = add_menu(tr("Show"), View::Rebuild);
    add_act(show, tr("Closer"), {QKeySequence("+"), QKeySequence("=")}, [r] { r->zoom(0.5); });
    add_act(show, tr("Wider"), {QKeySequence("-")}, [r] { r->zoom(2.0); });
    add_act(show, tr("Everything"), {QKeySequence("W")}, [r] { r->show_all(); });
    add_act(show, tr("Loop range"), {QKeySequence("Z")}, [r] { r->show_loop(); });
    add_act(show, tr("Picture in a window of its own"), {QKeySequence("V")},
            [r] { r->show_picture_window(); });
}

}  // namespace rivlen::app
