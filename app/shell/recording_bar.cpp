// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/recording_bar.h"

#include <QActionGroup>
#include <QHBoxLayout>
#include <QMenu>
#include <QSignalBlocker>
#include <array>

#include "app/shell/first_look_dialog.h"
#include "app/shell/parts_dialog.h"
#include "app/widgets/controls.h"
#include "app/widgets/file_dialogs.h"
#include "app/widgets/text.h"
#include "core/delivery/export.h"
#include "core/workflow/bringing_in.h"
#include "core/workflow/putting_back.h"

namespace rivlen::app {

namespace fs = std::filesystem;

namespace {
constexpr double kListenSeconds = 60, kHearSeconds = 4;
}  // namespace

RecordingBar::RecordingBar(Document& document, JobList& jobs, QWidget* parent)
    : QWidget(parent), document_(document), jobs_(jobs) {
    auto* line = new QHBoxLayout(this);
    line->setContentsMargins(0, 0, 0, 0);
    auto* bring =
        make_button(tr("Bring in…"), "bring_in", tr("Bring in a recording, with or without picture."), this);
    split_ = make_button(tr("Split"), "split",
                         tr("Part the recording into dialogue, reverb, music and ambience."), this);
    write_ = make_button(tr("Write stems…"), "write_stems", tr("Write the stems as files."), this);
    put_back_ = make_button(tr("Put back…"), "put_back",
                            tr("Put what is kept back under the picture, which is copied untouched."), this);
    recordings_ = new QComboBox(this);
    recordings_->setObjectName("recordings");
    recordings_->setAccessibleName(tr("Recording"));
    recordings_->setMinimumWidth(170);
    line->addWidget(recordings_);
    for (auto* b : {bring, split_, write_, put_back_}) line->addWidget(b);
    connect(bring, &QToolButton::clicked, this, &RecordingBar::ask_recording);
    connect(split_, &QToolButton::clicked, &document_, [this] { document_.split(); });
    connect(write_, &QToolButton::clicked, this, &RecordingBar::ask_stems_folder);
    connect(put_back_, &QToolButton::clicked, this, &RecordingBar::ask_put_back_file);
    connect(recordings_, &QComboBox::activated, this, [this](int index) {
        document_.edit(tr("Show another recording"), {}, [index](Session& s) { s.current = index; });
    });
    connect(&document_, &Document::session_changed, this, &RecordingBar::follow_session);
    connect(&document_, &Document::material_changed, this, &RecordingBar::follow_material);
    follow_session();
    follow_material();
}

ActionMenu RecordingBar::menu() {
    const auto can_split = [this] { return document_.source() != nullptr && !document_.splitting(); };
    return {
        tr("Recording"),
        {{
             {"bring_in", tr("Bring in…"), {QKeySequence("Ctrl+B")}, [this] { ask_recording(); }},
             {"take_apart", tr("Bring in streams and channels…"), {}, [this] { ask_file_to_take_apart(); }},
             {"split", tr("Split"), {QKeySequence("K")}, [this] { document_.split(); }, can_split},
             {"split_finely",
              tr("Split finely"),
              {QKeySequence("Shift+K")},
              [this] { document_.split(kFineModel); },
              [can_split] { return can_split() && !find_model(kFineModel).empty(); },
              {},
              {},
              tr("Separates better and takes longer.")},
             {"channels", tr("Channels"), {}, {}, {}, [this](QMenu& menu) { fill_channels(menu); }},
         },
         {
             {"first_look", tr("First look…"), {QKeySequence("Ctrl+I")}, [this] { first_look(); }},
             {"write_stems",
              tr("Write stems…"),
              {QKeySequence("Ctrl+E")},
              [this] { ask_stems_folder(); },
              [this] { return can_write_stems(); }},
             {"put_back",
              tr("Put back under the picture…"),
              {QKeySequence("Ctrl+U")},
              [this] { ask_put_back_file(); },
              [this] { return can_put_back(); }},
         },
         {
             {"find_missing", tr("Find missing…"), {}, [this] { ask_missing(); }},
             {"left_alone",
              tr("Read what was left alone"),
              {},
              {},
              [this] { return !document_.left_alone().empty(); },
              [this](QMenu& menu) { fill_left_alone(menu); }},
         }}};
}

bool RecordingBar::can_write_stems() const {
    return document_.map() != nullptr;
}

bool RecordingBar::can_put_back() const {
    return document_.map() != nullptr && document_.current_material()->info.picture.has_value();
}

void RecordingBar::follow_session() {
    const Session& session = document_.session();
    const QSignalBlocker quiet(recordings_);
    recordings_->clear();
    for (const auto& item : session.items) recordings_->addItem(text(item.path.filename()));
    recordings_->setCurrentIndex(session.current);
    recordings_->setEnabled(!session.items.empty());
}

void RecordingBar::follow_material() {
    split_->setEnabled(document_.source() && !document_.splitting());
    split_->setText(document_.map() ? tr("Split again") : tr("Split"));
    write_->setEnabled(can_write_stems());
    put_back_->setEnabled(can_put_back());
}

void RecordingBar::ask_recording() {
    if (const auto file = ask_file(this, tr("Bring in a recording"), FileKind::Recording))
        emit bring_in_wanted(*file);
}

void RecordingBar::ask_file_to_take_apart() {
    if (const auto file = ask_file(this, tr("A file of several streams or channels"), FileKind::Recording))
        take_apart(*file);
}

void RecordingBar::bring_in(const fs::path& file) {
    if (item_of(document_.session(), session_path(file))) return document_.bring_in(file);
    jobs_.start_for<bool>(
        tr("Looking at %1").arg(text(file.filename())),
        [file](const JobControl& job) -> Result<bool> { return holds_several_parts(file, job); },
        [this, file](const Result<bool>& several) {
            if (several && *several) return take_apart(file);
            document_.bring_in(file);  // says what is wrong with it, too
        });
}

void RecordingBar::take_apart(const fs::path& file) {
    jobs_.start_for<FileChannels>(
        tr("Listening to the channels"),
        [file](const JobControl& job) { return channels_of_file(file, kListenSeconds, job); },
        [this, file](const Result<FileChannels>& found) {
            if (!found) return say(found.error());
            auto* dialog = new PartsDialog(*found, text(file.filename()), window());
            dialog->setAttribute(Qt::WA_DeleteOnClose);
            connect(dialog, &QDialog::accepted, this,
                    [this, dialog, file] { bring_in_parts(file, dialog->parts()); });
            connect(dialog, &PartsDialog::whole_wanted, this, [this, file] { document_.bring_in(file); });
            connect(dialog, &PartsDialog::hear_wanted, this,
                    [this, file](const ChannelOfFile& channel) { hear(file, channel); });
            connect(dialog, &QDialog::finished, this, [this] { emit excerpt_wanted(nullptr); });
            dialog->open();
        });
}

void RecordingBar::hear(const fs::path& file, const ChannelOfFile& channel) {
    jobs_.start_for<AudioBlock>(
        tr("Reading a channel"),
        [file, channel](const JobControl& job) {
            return excerpt_of_channel(file, channel, kHearSeconds, job);
        },
        [this](Result<AudioBlock> excerpt) {
            if (!excerpt) return say(excerpt.error());
            emit excerpt_wanted(std::make_shared<const AudioBlock>(std::move(*excerpt)));
        });
}

void RecordingBar::bring_in_parts(const fs::path& file, const std::vector<PartOfFile>& parts) {
    const auto folder = parts_folder(document_.path(), document_.work_folder());
    jobs_.start_for<std::vector<fs::path>>(
        tr("Writing the parts"),
        [file, parts, folder, work = document_.work_folder()](const JobControl& job) {
            return write_parts(file, parts, folder, work, job);
        },
        [this](const Result<std::vector<fs::path>>& written) {
            if (!written) return say(written.error());
            for (const auto& path : *written) document_.bring_in(path);
            emit said(tr("%n recording(s) brought in.", nullptr, static_cast<int>(written->size())), false);
        });
}

void RecordingBar::ask_stems_folder() {
    if (const auto folder = ask_folder(this, tr("Folder for the stems"), "stems"))
        write_stems_to(*folder, false);
}

void RecordingBar::ask_put_back_file() {
    const auto* item = document_.current_item();
    if (item == nullptr) return;
    const auto file = ask_new_file(this, tr("Put back under the picture"), FileKind::Picture,
                                   suggested_put_back(item->path));
    if (file) put_back_to(*file, true);  // the dialog has asked
}

void RecordingBar::ask_missing() {
    const auto missing = missing_media(document_.session());
    if (missing.empty()) return emit said(tr("Nothing is missing."), false);
    const auto file =
        ask_file(this, tr("Where is %1?").arg(text(missing.front().filename())), FileKind::Recording);
    if (file) document_.relocate(missing.front(), *file);
}

void RecordingBar::fill_channels(QMenu& menu) {
    const auto* item = document_.current_item();
    const auto source = document_.source();
    const std::array words = {tr("Split together"), tr("Split in pairs"), tr("Split each alone"),
                              tr("Split as loudspeakers")};
    auto* one_of_them = new QActionGroup(&menu);
    const int channels = source ? source->channels() : 0;
    const bool bed =
        channel_groups(channels, ChannelGrouping::Bed) != channel_groups(channels, ChannelGrouping::Pairs);
    const auto shown = item == nullptr || (item->channels == ChannelGrouping::Bed && !bed)
                           ? ChannelGrouping::Pairs
                           : item->channels;
    for (std::size_t i = 0; i < words.size(); ++i) {
        auto* action = menu.addAction(words[i], &document_,
                                      [this, i] { document_.set_channels(static_cast<ChannelGrouping>(i)); });
        action->setCheckable(true);
        action->setChecked(item != nullptr && shown == static_cast<ChannelGrouping>(i));
        one_of_them->addAction(action);
    }
    one_of_them->actions()[2]->setToolTip(tr("For microphones of their own."));
    one_of_them->actions()[3]->setToolTip(
        tr("For beds: left with right, centre and LFE each alone; in pairs where it is none."));
    one_of_them->actions()[3]->setVisible(bed);
    one_of_them->setEnabled(source && source->channels() > 1 && !document_.splitting());
}

void RecordingBar::fill_left_alone(QMenu& menu) {
    for (const auto& path : document_.left_alone())
        menu.addAction(text(path.filename()), &document_, [this, path] { document_.read_anyway(path); });
}

void RecordingBar::say(const Error& error) {
    emit said(text(error.message), error.kind != ErrorKind::Cancelled);
}

void RecordingBar::write_stems_to(const fs::path& folder, bool overwrite) {
    const auto source = document_.source();
    const auto map = document_.map();
    const auto* item = document_.current_item();
    if (!source || !map || item == nullptr) return;
    ExportPlan plan;
    plan.folder = folder;
    plan.base_name = item->path.stem().string();
    plan.kept_mix = true;
    plan.overwrite = overwrite;
    jobs_.start_for<ExportReport>(
        tr("Writing stems"),
        [source, map, settings = item->timed(), plan](const JobControl& job) {
            return export_stems(*source, *map, settings, plan, job);
        },
        [this, folder](const Result<ExportReport>& report) {
            if (!report) return say(report.error());
            emit said(tr("%1 files written to \"%2\"; the stems add up to the source within %3 dBFS.")
                          .arg(report->files.size())
                          .arg(text(folder))
                          .arg(report->sum_dbfs, 0, 'f', 1),
                      false);
        });
}

void RecordingBar::put_back_to(const fs::path& out, bool overwrite) {
    const auto source = document_.source();
    const auto map = document_.map();
    const auto* item = document_.current_item();
    if (!source || !map || item == nullptr) return;
    const KeptUnderPicture what{item->path, out, document_.work_folder(), overwrite};
    jobs_.start_for<LaybackReport>(
        tr("Putting back"),
        [source, map, settings = item->timed(), what](const JobControl& job) {
            return put_kept_back(*source, *map, settings, what, job);
        },
        [this, out](const Result<LaybackReport>& report) {
            if (!report) return say(report.error());
            emit said(tr("\"%1\" written: picture identical, sound %2 samples off.")
                          .arg(text(out.filename()))
                          .arg(report->offset_samples),
                      false);
        });
}

// Taken, the recording stands whole on a track of its own, with the chain.
void RecordingBar::first_look() {
    const SessionItem* item = document_.current_item();
    const auto source = document_.source();
    if (item == nullptr || !source) return emit said(tr("Bring in a recording first."), false);
    jobs_.start_for<FirstLook>(
        tr("Looking at %1").arg(text(item->path.filename())),
        [source, map = document_.map()](const JobControl& job) { return look_at(*source, map.get(), job); },
        [this, path = item->path](const Result<FirstLook>& look) {
            if (!look) return say(look.error());
            TrackLook found;
            found.look = *look;
            auto* dialog = new FirstLookDialog(text(path.filename()), found,
                                               tr("Place it whole, with this chain"), window());
            dialog->setAttribute(Qt::WA_DeleteOnClose);
            connect(dialog, &QDialog::accepted, this, [this, dialog, path] {
                std::vector<Insert> chain;
                int id = 0;
                dialog->look().put_into(chain, dialog->taken(), [&id] { return ++id; });
                document_.place_file(path, 0, {}, chain);
                emit placed();
            });
            dialog->show();
        });
}

}  // namespace rivlen::app
