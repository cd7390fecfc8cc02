// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/separate/blind.h"

#include <QGridLayout>
#include <QVBoxLayout>

#include "core/assessment/level_match.h"
#include "core/assessment/statistics.h"

namespace rivlen::app {

namespace {

constexpr int kSource = 100, kPresent = 101;  // beside the numbers of cards
constexpr int kEnoughTrials = 8;

QToolButton* button(const QString& text, const QString& name, const QString& key, QWidget* parent) {
    auto* b = new QToolButton(parent);
    b->setText(key.isEmpty() ? text : QString("%1 (%2)").arg(text, key));
    b->setObjectName(name);
    b->setAccessibleName(text);
    b->setShortcut(QKeySequence(key));
    b->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    return b;
}

}  // namespace

BlindComparison::BlindComparison(Document& document, JobList& jobs, Player& player, QWidget* parent)
    : QDialog(parent),
      document_(document),
      jobs_(jobs),
      player_(player),
      first_(new QComboBox(this)),
      second_(new QComboBox(this)),
      start_(button(tr("Start"), "blind_start", "", this)),
      one_(button(tr("Hear One"), "blind_one", "1", this)),
      two_(button(tr("Hear Two"), "blind_two", "2", this)),
      one_better_(button(tr("One is better"), "blind_one_better", "3", this)),
      two_better_(button(tr("Two is better"), "blind_two_better", "4", this)),
      outcome_(new QLabel(this)) {
    setWindowTitle(tr("Compare blind"));
    setObjectName("blind");
    setModal(false);
    auto* grid = new QGridLayout(this);
    first_->setAccessibleName(tr("First of the two"));
    second_->setAccessibleName(tr("Second of the two"));
    first_->setObjectName("blind_first");
    second_->setObjectName("blind_second");
    outcome_->setObjectName("blind_outcome");
    outcome_->setWordWrap(true);
    outcome_->setMinimumWidth(340);
    outcome_->setMinimumHeight(outcome_->fontMetrics().lineSpacing() * 3);
    grid->addWidget(first_, 0, 0);
    grid->addWidget(second_, 0, 1);
    grid->addWidget(start_, 1, 0, 1, 2);
    grid->addWidget(one_, 2, 0);
    grid->addWidget(two_, 2, 1);
    grid->addWidget(one_better_, 3, 0);
    grid->addWidget(two_better_, 3, 1);
    grid->addWidget(outcome_, 4, 0, 1, 2);
    connect(start_, &QToolButton::clicked, this, &BlindComparison::start);
    connect(one_, &QToolButton::clicked, this, [this] { listen(0); });
    connect(two_, &QToolButton::clicked, this, [this] { listen(1); });
    connect(one_better_, &QToolButton::clicked, this, [this] { prefer(0); });
    connect(two_better_, &QToolButton::clicked, this, [this] { prefer(1); });
    finish();
}

void BlindComparison::showEvent(QShowEvent* event) {
    fill();
    QDialog::showEvent(event);
}

void BlindComparison::fill() {
    const auto* item = document_.current_item();
    for (QComboBox* box : {first_, second_}) {
        box->clear();
        box->addItem(tr("Present settings"), kPresent);
        box->addItem(tr("Source"), kSource);
        for (std::size_t i = 0; item != nullptr && i < kCards; ++i) {
            if (item->cards[i])
                box->addItem(QString("%1: %2").arg(i + 1).arg(QString::fromStdString(item->cards[i]->name)),
                             static_cast<int>(i));
        }
    }
    second_->setCurrentIndex(1);
}

BlindComparison::Side BlindComparison::side_from(int choice) const {
    const auto* item = document_.current_item();
    if (choice == kSource) return {tr("Source"), true, {}, 1.0F};
    if (choice == kPresent) return {tr("Present settings"), false, item->timed(), 1.0F};
    const auto& card = *item->cards[static_cast<std::size_t>(choice)];
    return {QString::fromStdString(card.name), false, TimedSettings(card.settings), 1.0F};
}

void BlindComparison::start() {
    const auto* item = document_.current_item();
    const auto source = document_.source();
    const auto map = document_.map();
    if (item == nullptr || !source || !map) return;
    if (first_->currentData() == second_->currentData()) {
        outcome_->setText(tr("Choose two different things to compare."));
        return;
    }
    sides_ = {side_from(first_->currentData().toInt()), side_from(second_->currentData().toInt())};
    result_ = {sides_[0].name.toStdString(), sides_[1].name.toStdString(), 0, 0};
    const LoopRange range =
        item->loop ? *item->loop : LoopRange{0, static_cast<std::int64_t>(source->frames())};
    outcome_->setText(tr("Making both equally loud…"));
    start_->setEnabled(false);
    auto gains = std::make_shared<std::array<float, 2>>();
    jobs_.start(
        tr("Measuring"),
        [source, map, range, gains, sides = sides_](const JobControl& job) -> Status {
            for (std::size_t i = 0; i < 2; ++i) {
                (*gains)[i] = 1.0F;
                if (sides[i].source) continue;
                auto match =
                    measure_match(*source, map.get(), sides[i].settings, range.first, range.last, job);
                if (!match) return match.error();
                (*gains)[i] = match->gain[static_cast<std::size_t>(Monitor::Kept)];
            }
            return {};
        },
        [this, gains](const Status& status) {
            if (!status) return finish();
            for (std::size_t i = 0; i < 2; ++i) sides_[i].gain = (*gains)[i];
            running_ = true;
            for (QToolButton* b : {one_, two_, one_better_, two_better_}) b->setEnabled(true);
            for (QWidget* w : std::initializer_list<QWidget*>{first_, second_}) w->setEnabled(false);
            draw_order();
            show_result();
            player_.play();
        },
        true);
}

void BlindComparison::draw_order() {
    order_ = static_cast<int>(random_() & 1U);
    listen(0);
}

void BlindComparison::listen(int which) {
    if (!running_) return;
    const Side& side = sides_[static_cast<std::size_t>(which == 0 ? order_ : 1 - order_)];
    std::array<float, kMonitors> gains{};
    gains.fill(side.gain);
    player_.set_match_gains(gains);
    if (!side.source) player_.set_settings(side.settings);
    player_.set_monitor(side.source ? Monitor::Source : Monitor::Kept);
    one_->setDown(which == 0);
    two_->setDown(which == 1);
}

void BlindComparison::prefer(int which) {
    if (!running_) return;
    const int side = which == 0 ? order_ : 1 - order_;
    ++result_.trials;
    if (side == 0) ++result_.first_preferred;
    draw_order();
    show_result();
}

void BlindComparison::show_result() {
    if (result_.trials < kEnoughTrials) {
        outcome_->setText(tr("%1 of %2 choices made. What was which is told at the end.")
                              .arg(result_.trials)
                              .arg(kEnoughTrials));
        return;
    }
    // Kept in the session after every choice from here on, so that nothing is lost.
    const Comparison kept = result_;
    document_.edit(tr("Blind comparison"), "blind", [&](Session& session) {
        if (session.current < 0) return;
        auto& list = session.items[static_cast<std::size_t>(session.current)].comparisons;
        if (!list.empty() && list.back().first == kept.first && list.back().second == kept.second &&
            list.back().trials + 1 == kept.trials && kept.trials > kEnoughTrials) {
            list.back() = kept;
        } else {
            list.push_back(kept);
        }
    });
    const double p = coin_toss_p_value(result_.first_preferred, result_.trials);
    outcome_->setText(tr("\"%1\" was preferred in %2 of %3 choices, \"%4\" in the others. By mere chance an "
                         "outcome as clear "
                         "as this has a probability of %5 %.")
                          .arg(sides_[0].name)
                          .arg(result_.first_preferred)
                          .arg(result_.trials)
                          .arg(sides_[1].name)
                          .arg(p * 100, 0, 'f', p < 0.1 ? 1 : 0));
}

void BlindComparison::finish() {
    running_ = false;
    start_->setEnabled(true);
    for (QToolButton* b : {one_, two_, one_better_, two_better_}) b->setEnabled(false);
    for (QWidget* w : std::initializer_list<QWidget*>{first_, second_}) w->setEnabled(true);
}

void BlindComparison::done(int outcome) {
    finish();
    outcome_->clear();
    emit ended();
    QDialog::done(outcome);
}

}  // namespace rivlen::app
