// SPDX-License-Identifier: GPL-3.0-or-later
// The page for teaching: marks of what sounds alone, proposals, how long, and what came of it.
#pragma once

#include <QComboBox>
#include <QKeyEvent>
#include <QLabel>
#include <QListWidget>
#include <QToolButton>
#include <QWidget>
#include <array>

#include "app/separate/teaching.h"
#include "app/widgets/time_strip.h"

namespace rivlen::app {

class TeachingPanel : public QWidget {
    Q_OBJECT
  public:
    // times: how a place in the recording is written.
    TeachingPanel(Teaching& teaching, Document& document, const TimeStrip& times, QWidget* parent = nullptr);
    [[nodiscard]] TeachingLength length() const;

  protected:
    // The keys of the list of marks.
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    bool take_key(const QKeyEvent& key);
    QWidget* build_marks();
    [[nodiscard]] QWidget* build_kinds(const std::vector<std::pair<std::size_t, QString>>& kinds,
                                       const QString& tip, bool drawn, QWidget* parent);
    QWidget* build_proposals();
    QWidget* build_teach();
    QWidget* build_taught();
    void refresh();
    void show_marks();
    [[nodiscard]] QString words_of(const TeachingMark& mark) const;
    [[nodiscard]] QString together_words() const;

    Teaching& teaching_;
    Document& document_;
    const TimeStrip& times_;
    QListWidget *marks_ = nullptr, *proposals_ = nullptr;
    QWidget *proposals_box_ = nullptr, *taught_box_ = nullptr;
    QWidget* parts_kinds_ = nullptr;  // where the music is opened
    QComboBox* length_ = nullptr;
    QToolButton *teach_ = nullptr, *remove_ = nullptr;
    std::array<QToolButton*, 2> use_{};  // untaught, taught
    QLabel *outcome_ = nullptr, *together_ = nullptr;
    std::vector<TeachingMark> shown_marks_;
    std::vector<std::string> shown_proposals_;
};

}  // namespace rivlen::app
