// SPDX-License-Identifier: GPL-3.0-or-later
// Which recording is worked on, and what is done with it as a whole: bringing in, splitting, writing stems,
// putting back.
#pragma once

#include <QComboBox>
#include <QToolButton>
#include <QWidget>
#include <filesystem>

#include "app/shell/document.h"
#include "app/shell/jobs.h"
#include "app/widgets/actions.h"
#include "core/workflow/parts.h"

namespace rivlen::app {

class RecordingBar : public QWidget {
    Q_OBJECT
  public:
    RecordingBar(Document& document, JobList& jobs, QWidget* parent = nullptr);
    [[nodiscard]] ActionMenu menu();

    // Errors are said. overwrite: replaces files that are there.
    void write_stems_to(const std::filesystem::path& folder, bool overwrite);
    void put_back_to(const std::filesystem::path& out, bool overwrite);
    void ask_recording();
    // Brings a file in; asks first where it would come in as several recordings.
    void bring_in(const std::filesystem::path& file);
    // Listens to what a file has, asks what belongs together, and brings that in.
    void take_apart(const std::filesystem::path& file);
    // Brings these in as recordings of their own.
    void bring_in_parts(const std::filesystem::path& file, const std::vector<PartOfFile>& parts);

  signals:
    void said(const QString& sentence, bool trouble);
    void bring_in_wanted(const std::filesystem::path& file);
    void excerpt_wanted(const std::shared_ptr<const rivlen::AudioBlock>& sound);  // null: no longer
    void placed();  // the recording stands on the timeline

  private:
    void say(const Error& error);
    void follow_session();
    void follow_material();
    void ask_stems_folder();
    void ask_put_back_file();
    void ask_missing();
    void ask_file_to_take_apart();
    void first_look();
    void hear(const std::filesystem::path& file, const ChannelOfFile& channel);
    void fill_channels(QMenu& menu);
    void fill_left_alone(QMenu& menu);
    [[nodiscard]] bool can_write_stems() const;
    [[nodiscard]] bool can_put_back() const;

    Document& document_;
    JobList& jobs_;
    QComboBox* recordings_;
    QToolButton *split_, *write_, *put_back_;
};

}  // namespace rivlen::app
