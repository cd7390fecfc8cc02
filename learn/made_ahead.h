// SPDX-License-Identifier: GPL-3.0-or-later
// Items that are made one after the other on a thread of their own, a few ahead of who takes them: some
// take much longer than others, and nobody waits for one while there are others.
#pragma once

#include <condition_variable>
#include <cstddef>
#include <cstdint>
#include <deque>
#include <exception>
#include <functional>
#include <mutex>
#include <thread>
#include <utility>

#include "learn/processor_time.h"

namespace rivlen::learn {

// take() is one thread's; make() runs on another, never twice at a time.
template <typename Item>
class MadeAhead {
  public:
    using Make = std::function<Item(std::int64_t n)>;
    MadeAhead(Make make, std::size_t ahead) : make_(std::move(make)), ahead_(ahead) {}

    struct Made {
        Item item;
        double seconds = 0;  // of a processor, that making it took
    };
    // The n-th item. In any order, but only the one behind that which was taken last is there already. What
    // make(n) throws is thrown here.
    [[nodiscard]] Made take(std::int64_t n) {
        if (!thread_.joinable() || n != next_) begin(n);
        std::unique_lock lock(mutex_);
        changed_.wait(lock, [&] { return !made_.empty() || failure_; });
        if (made_.empty()) std::rethrow_exception(failure_);
        Made made = std::move(made_.front());
        made_.pop_front();
        ++next_;
        lock.unlock();
        changed_.notify_all();
        return made;
    }

  private:
    void begin(std::int64_t n) {
        thread_ = {};  // ends the one before
        made_.clear();
        failure_ = nullptr;
        next_ = n;
        thread_ = std::jthread([this, n](const std::stop_token& stop) {
            try {
                make_on(stop, n);
            } catch (...) {
                const std::lock_guard lock(mutex_);
                failure_ = std::current_exception();
            }
            changed_.notify_all();
        });
    }
    void make_on(const std::stop_token& stop, std::int64_t n) {
        for (;; ++n) {
            {
                std::unique_lock lock(mutex_);
                if (!changed_.wait(lock, stop, [&] { return made_.size() < ahead_; })) return;
            }
            if (stop.stop_requested()) return;
            const double start = thread_seconds();
            Item item = make_(n);
            const std::lock_guard lock(mutex_);
            made_.push_back({std::move(item), thread_seconds() - start});
            changed_.notify_all();
        }
    }

    Make make_;
    std::size_t ahead_;
    std::mutex mutex_;  // over made_ and failure_
    std::condition_variable_any changed_;
    std::deque<Made> made_;
    std::exception_ptr failure_;
    std::int64_t next_ = 0;  // to be taken
    std::jthread thread_;    // last, so that it ends first
};

}  // namespace rivlen::learn
