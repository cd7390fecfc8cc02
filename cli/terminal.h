// SPDX-License-Identifier: GPL-3.0-or-later
// What a terminal shows while something runs, and how Ctrl-C stops it.
#pragma once

#include <chrono>
#include <filesystem>
#include <optional>
#include <string>

#include "core/base/job.h"

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

// Refuses a file that is there when it may not be replaced.
[[nodiscard]] Status may_write(const std::filesystem::path& file, bool overwrite);

// Largest resident memory of this process so far, in megabytes (getrusage).
[[nodiscard]] double peak_memory_mb();

}  // namespace rivlen::cli
