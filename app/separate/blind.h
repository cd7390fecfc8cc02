// SPDX-License-Identifier: GPL-3.0-or-later
// Blind comparison of two sets of settings, or of one against the source: which is heard as One and which as
// Two is drawn anew for every choice, both are equally loud, and the choice is forced.
#pragma once

#include <QComboBox>
#include <QDialog>
#include <QLabel>
#include <QToolButton>
#include <random>

#include "app/shell/document.h"
#include "app/shell/jobs.h"
#include "core/play/player.h"

namespace rivlen::app {

class BlindComparison : public QDialog {
    Q_OBJECT
  public:
    BlindComparison(Document& document, JobList& jobs, Player& player, QWidget* parent = nullptr);
    [[nodiscard]] bool running() const { return running_; }
    void start();
    void listen(int which);  // 0: One, 1: Two
    void prefer(int which);
    [[nodiscard]] const Comparison& result() const { return result_; }
    // For tests: which side is played as One in this round.
    [[nodiscard]] int side_of_one() const { return order_; }

  signals:
    void ended();
    void said(const QString& sentence, bool trouble);

  protected:
    void done(int outcome) override;
    void showEvent(QShowEvent* event) override;

  private:
    struct Side {
        QString name;
        bool source = false;
        TimedSettings settings;
        float gain = 1.0F;
    };
    void fill();
    void finish();
    [[nodiscard]] Side side_from(int choice) const;
    void draw_order();
    void show_result();
    Document& document_;
    JobList& jobs_;
    Player& player_;
    QComboBox *first_, *second_;
    QToolButton *start_, *one_, *two_, *one_better_, *two_better_;
    QLabel* outcome_;
    std::array<Side, 2> sides_;
    Comparison result_;
    std::mt19937 random_{std::random_device{}()};
    int order_ = 0;  // side that is heard as One
    bool running_ = false;
};

}  // namespace rivlen::app
