// SPDX-License-Identifier: GPL-3.0-or-later
// What an empty session shows: what can be done first.
#pragma once

#include <QVBoxLayout>
#include <QWidget>
#include <filesystem>

namespace rivlen::app {

class StartPage : public QWidget {
    Q_OBJECT
  public:
    explicit StartPage(QWidget* parent = nullptr);
    // Sessions that were open last, newest first; those that are not there any more are left out.
    void show_recent(const QStringList& sessions);

  signals:
    void bring_in_wanted();
    void session_wanted();  // by a dialog
    void open_wanted(const std::filesystem::path& session);
    void guide_wanted();

  private:
    void add_act(const QString& label, const QString& name, const QString& sentence,
                 const std::function<void()>& act);
    QVBoxLayout* acts_;
    QVBoxLayout* recent_;
    QWidget* recent_area_;
};

// The demo session; empty where it is not installed.
[[nodiscard]] std::filesystem::path demo_session();

}  // namespace rivlen::app
