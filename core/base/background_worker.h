// SPDX-License-Identifier: GPL-3.0-or-later
// Work on what was made last, on a thread of its own, while the next is made: two steps of a chain at once.
#pragma once

#include <condition_variable>
#include <exception>
#include <functional>
#include <mutex>
#include <thread>
#include <utility>

namespace rivlen {

class BackgroundWorker {
  public:
    BackgroundWorker() : thread_([this](const std::stop_token& stop) { run(stop); }) {}
    BackgroundWorker(const BackgroundWorker&) = delete;
    BackgroundWorker& operator=(const BackgroundWorker&) = delete;
    ~BackgroundWorker() {
        std::unique_lock lock(mutex_);
        changed_.wait(lock, [this] { return !task_; });
    }
    // Waits for the last task, then starts this one.
    void start(std::function<void()> task) {
        std::unique_lock lock(mutex_);
        changed_.wait(lock, [this] { return !task_; });
        rethrow();
        task_ = std::move(task);
        changed_.notify_all();
    }
    // Until the last task is done.
    void wait() {
        std::unique_lock lock(mutex_);
        changed_.wait(lock, [this] { return !task_; });
        rethrow();
    }

  private:
    // What a task has thrown is thrown where the next one is started or waited for.
    void rethrow() {
        if (thrown_) std::rethrow_exception(std::exchange(thrown_, nullptr));
    }
    void run(const std::stop_token& stop) {
        std::unique_lock lock(mutex_);
        while (changed_.wait(lock, stop, [this] { return static_cast<bool>(task_); })) {
            lock.unlock();
            std::exception_ptr thrown;
            try {
                task_();
            } catch (...) {
                thrown = std::current_exception();
            }
            lock.lock();
            if (thrown) thrown_ = thrown;
            task_ = nullptr;
            changed_.notify_all();
        }
    }
    std::mutex mutex_;
    std::condition_variable_any changed_;
    std::function<void()> task_;
    std::exception_ptr thrown_;
    std::jthread thread_;
};

}  // namespace rivlen
