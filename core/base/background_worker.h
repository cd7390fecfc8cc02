// SPDX-License-Identifier: GPL-3.0-or-later
// Work on what was made last, on a thread of its own, while the next is made: two steps of a chain at once.
#pragma once

#include <condition_variable>
#include <functional>
#include <mutex>
#include <thread>

namespace rivlen {

class BackgroundWorker {
  public:
    BackgroundWorker() : thread_([this](const std::stop_token& stop) { run(stop); }) {}
    BackgroundWorker(const BackgroundWorker&) = delete;
    BackgroundWorker& operator=(const BackgroundWorker&) = delete;
    ~BackgroundWorker() { wait(); }
    // Waits for the last task, then starts this one.
    void start(std::function<void()> task) {
        std::unique_lock lock(mutex_);
        changed_.wait(lock, [this] { return !task_; });
        task_ = std::move(task);
        changed_.notify_all();
    }
    // Until the last task is done.
    void wait() {
        std::unique_lock lock(mutex_);
        changed_.wait(lock, [this] { return !task_; });
    }

  private:
    void run(const std::stop_token& stop) {
        std::unique_lock lock(mutex_);
        while (changed_.wait(lock, stop, [this] { return static_cast<bool>(task_); })) {
            lock.unlock();
            task_();
            lock.lock();
            task_ = nullptr;
            changed_.notify_all();
        }
    }
    std::mutex mutex_;
    std::condition_variable_any changed_;
    std::function<void()> task_;
    std::jthread thread_;
};

}  // namespace rivlen
