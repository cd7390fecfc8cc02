// SPDX-License-Identifier: GPL-3.0-or-later
// What of a file's streams and channels belongs together, and what stays out.
#pragma once

#include <QDialog>
#include <QTableWidget>

#include "core/workflow/parts.h"

namespace rivlen::app {

// A row a channel: stream, channel, peak, name, and the number of the recording that it goes to (0: it stays
// out). Channels of one number belong together, in order; the first one's name is the recording's.
class PartsDialog : public QDialog {
    Q_OBJECT
  public:
    PartsDialog(FileChannels file, const QString& name, QWidget* parent = nullptr);
    [[nodiscard]] std::vector<PartOfFile> parts() const;

  signals:
    void hear_wanted(const rivlen::ChannelOfFile& channel);
    void whole_wanted();  // it is closed without parts: the file comes in as one recording

  private:
    void number(const std::vector<PartOfFile>& parts);
    void number_each_alone();
    void say_what_comes();
    [[nodiscard]] int number_of(int row) const;
    FileChannels file_;
    QTableWidget* table_;
    class QLabel* note_;
    class QPushButton* bring_in_;
};

}  // namespace rivlen::app
