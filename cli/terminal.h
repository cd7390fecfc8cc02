// SPDX-License-Identifier: GPL-3.0-or-later
// What a terminal shows while something runs, and how Ctrl-C stops it.
#pragma once

#include <chrono>
#include <filesystem>
#include <optional>
#include <string>

#include "core/base/job.h"
#include "core/media/source.h"

namespace rivlen::cli {

// A line with progress and time left on standard error, when that is a terminal; Ctrl-C cancels.
class TerminalJob {
  public:
    explicit TerminalJob(std::string what);
    ~TerminalJob();
    TerminalJob(const TerminalJob&) = delete;
    TerminalJob& operator=(const TerminalJob&) = delete;
    [[nodiscard]] JobControl control();

  private:
    void show(double done_share);
    std::string what_;
    std::chrono::steady_clock::time_point start_;
    int shown_percent_ = -1;
    bool terminal_;
};

// From now on Ctrl-C and SIGTERM end what is done and what is waited for, and not the process.
void stop_on_signals();
[[nodiscard]] bool stopped();

// One piece of work after another, each with a line of its own.
class TerminalStages {
  public:
    [[nodiscard]] JobControl operator()(const std::string& what) {
        job_.reset();
        return job_.emplace(what).control();
    }

  private:
    std::optional<TerminalJob> job_;
};

// What was worked around when a recording was brought in, on standard error.
void tell_warnings(const Source& source);

// Largest resident memory of this process so far, in megabytes (getrusage).
[[nodiscard]] double peak_memory_mb();

}  // namespace rivlen::cli
