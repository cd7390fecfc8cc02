// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/jobs.h"

#include "core/base/guarded.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QMetaObject>
#include <QProgressBar>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "core/base/thread_priority.h"

namespace rivlen::app {

JobList::JobList(QObject* parent) : QObject(parent) {
    tick_.setInterval(100);
    connect(&tick_, &QTimer::timeout, this, &JobList::changed);
}

JobList::~JobList() {
    cancel_all();
}

int JobList::start(const QString& title, Work work, Done done, bool quiet) {
    auto job = std::make_unique<Job>();
    Job* raw = job.get();
    raw->number = next_number_++;
    raw->title = title;
    raw->quiet = quiet;
    raw->done = std::move(done);
    const int number = raw->number;
    jobs_.push_back(std::move(job));
    raw->thread = std::jthread([this, raw, number, quiet, work = std::move(work)] {
        // Long work gives way to playing, and so do the threads that it starts; figures are waited for.
        if (!quiet) give_way();
        const JobControl control{[raw](double share) { raw->progress = share; }, &raw->cancel};
        const Status status = guarded([&] { return work(control); });
        QMetaObject::invokeMethod(
            this, [this, number, status] { finish(number, status); }, Qt::QueuedConnection);
    });
    if (!quiet) tick_.start();
    emit changed();
    return number;
}

void JobList::finish(int number, const Status& status) {
    const auto found = std::ranges::find_if(jobs_, [&](const auto& job) { return job->number == number; });
    if (found == jobs_.end()) return;
    const std::unique_ptr<Job> job = std::move(*found);
    jobs_.erase(found);
    if (!busy()) tick_.stop();
    emit changed();
    if (job->done) job->done(status);
}

void JobList::cancel(int number) {
    for (const auto& job : jobs_) {
        if (job->number == number) job->cancel = true;
    }
}

void JobList::cancel_all() {
    for (const auto& job : jobs_) job->cancel = true;
}

bool JobList::busy() const {
    return std::ranges::any_of(jobs_, [](const auto& job) { return !job->quiet; });
}

std::vector<JobList::View> JobList::shown() const {
    std::vector<View> views;
    for (const auto& job : jobs_) {
        if (job->quiet) continue;
        const double share = job->progress;
        const double elapsed =
            std::chrono::duration<double>(std::chrono::steady_clock::now() - job->start).count();
        const int left = share > 0.02 ? static_cast<int>(std::lround(elapsed / share * (1.0 - share))) : -1;
        views.push_back({job->number, job->title, share, left});
    }
    return views;
}

JobListView::JobListView(JobList& jobs, QWidget* parent)
    : QWidget(parent), jobs_(jobs), layout_(new QVBoxLayout(this)) {
    layout_->setContentsMargins(0, 0, 0, 0);
    layout_->setSpacing(4);
    setAccessibleName(tr("Running jobs"));
    connect(&jobs_, &JobList::changed, this, &JobListView::refresh);
    setVisible(false);
}

void JobListView::refresh() {
    const auto views = jobs_.shown();
    std::vector<int> numbers;
    numbers.reserve(views.size());
    for (const auto& view : views) numbers.push_back(view.number);
    if (numbers != rows_) {
        while (QLayoutItem* item = layout_->takeAt(0)) {
            delete item->widget();
            delete item;
        }
        for (const auto& view : views) {
            auto* row = new QWidget(this);
            auto* line = new QHBoxLayout(row);
            line->setContentsMargins(0, 0, 0, 0);
            auto* bar = new QProgressBar(row);
            bar->setObjectName(QString("job%1").arg(view.number));
            bar->setRange(0, 1000);
            bar->setAccessibleName(view.title);
            auto* stop = new QToolButton(row);
            stop->setText(tr("Cancel"));
            stop->setAccessibleName(tr("Cancel: %1").arg(view.title));
            const int number = view.number;
            connect(stop, &QToolButton::clicked, this, [this, number] { jobs_.cancel(number); });
            line->addWidget(bar, 1);
            line->addWidget(stop);
            layout_->addWidget(row);
        }
        rows_ = numbers;
        setVisible(!rows_.empty());
    }
    for (const auto& view : views) {
        auto* bar = findChild<QProgressBar*>(QString("job%1").arg(view.number));
        if (bar == nullptr) continue;
        bar->setValue(static_cast<int>(view.done_share * 1000));
        const QString left = view.seconds_left < 0 ? QString()
                                                   : tr(", %1:%2 left")
                                                         .arg(view.seconds_left / 60)
                                                         .arg(view.seconds_left % 60, 2, 10, QChar('0'));
        // A long name gives way, so that the figures are always there.
        const QString figures = QString("  %1 %%2").arg(static_cast<int>(view.done_share * 100)).arg(left);
        constexpr int kMargin = 8;
        const int room = bar->width() - bar->fontMetrics().horizontalAdvance(figures) - kMargin;
        bar->setToolTip(view.title);
        bar->setFormat(bar->fontMetrics().elidedText(view.title, Qt::ElideMiddle, room) + figures);
    }
}

}  // namespace rivlen::app
