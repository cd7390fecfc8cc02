// SPDX-License-Identifier: GPL-3.0-or-later
// Long work in the background: a short list with progress, time left and cancel. Nothing waits for it.
#pragma once

#include <QObject>
#include <QString>
#include <QTimer>
#include <QWidget>
#include <atomic>
#include <chrono>
#include <functional>
#include <memory>
#include <optional>
#include <thread>
#include <vector>

#include "core/base/job.h"

class QVBoxLayout;

namespace rivlen::app {

class JobList : public QObject {
    Q_OBJECT
  public:
    using Work = std::function<Status(const JobControl&)>;
    using Done = std::function<void(const Status&)>;

    explicit JobList(QObject* parent = nullptr);
    ~JobList() override;  // cancels and waits

    // Runs `work` on a thread of its own; `done` is called on this thread when it ends, also when cancelled.
    // quiet: not shown (quick measuring that is started again and again). Returns the job's number.
    int start(const QString& title, Work work, Done done, bool quiet = false);
    // The same for work that gives a value: `done` gets it, or the error.
    template <typename T>
    int start_for(const QString& title, std::function<Result<T>(const JobControl&)> work,
                  std::function<void(Result<T>)> done, bool quiet = false) {
        auto value = std::make_shared<std::optional<T>>();
        return start(
            title,
            [value, work = std::move(work)](const JobControl& job) -> Status {
                auto made = work(job);
                if (!made) return made.error();
                value->emplace(std::move(*made));
                return {};
            },
            [value, done = std::move(done)](const Status& status) {
                done(status ? Result<T>(std::move(**value)) : Result<T>(status.error()));
            },
            quiet);
    }
    void cancel(int number);
    void cancel_all();
    [[nodiscard]] bool busy() const;  // with shown jobs

    struct View {
        int number;
        QString title;
        double done_share;
        int seconds_left;  // -1: not known yet
    };
    [[nodiscard]] std::vector<View> shown() const;

  signals:
    void changed();

  private:
    struct Job {
        int number = 0;
        QString title;
        bool quiet = false;
        std::atomic<bool> cancel{false};
        std::atomic<double> progress{0.0};
        std::chrono::steady_clock::time_point start = std::chrono::steady_clock::now();
        Done done;
        std::jthread thread;
    };
    void finish(int number, const Status& status);
    std::vector<std::unique_ptr<Job>> jobs_;
    QTimer tick_;
    int next_number_ = 1;
};

// The list on the screen; empty it takes no room.
class JobListView : public QWidget {
    Q_OBJECT
  public:
    explicit JobListView(JobList& jobs, QWidget* parent = nullptr);

  private:
    void refresh();
    JobList& jobs_;
    QVBoxLayout* layout_;
    std::vector<int> rows_;
};

}  // namespace rivlen::app
