// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/terminal.h"

#include "core/base/markup.h"

#include <sys/resource.h>
#include <unistd.h>

#include <cmath>
#include <csignal>
#include <mutex>

namespace rivlen::cli {

namespace {

std::atomic<bool> interrupted{false};
std::mutex print_mutex;

}  // namespace

void stop_on_signals() {
    for (const int signal : {SIGINT, SIGTERM}) std::signal(signal, [](int) { interrupted = true; });
}

bool stopped() {
    return interrupted;
}

TerminalJob::TerminalJob(std::string what)
    : what_(std::move(what)),
      start_(std::chrono::steady_clock::now()),
      terminal_(::isatty(STDERR_FILENO) == 1) {
    stop_on_signals();
}

TerminalJob::~TerminalJob() {
    if (terminal_ && shown_percent_ >= 0) fmt::print(stderr, "\r\033[K");
}

JobControl TerminalJob::control() {
    return {[this](double share) { show(share); }, &interrupted};
}

void TerminalJob::show(double done_share) {
    if (!terminal_) return;
    const std::lock_guard lock(print_mutex);
    const int percent = static_cast<int>(done_share * 100.0);
    if (percent == shown_percent_) return;
    shown_percent_ = percent;
    const double elapsed = std::chrono::duration<double>(std::chrono::steady_clock::now() - start_).count();
    const int left =
        done_share > 0.01 ? static_cast<int>(std::lround(elapsed / done_share * (1.0 - done_share))) : 0;
    fmt::print(stderr, "\r\033[K{} {:3d} %  {}:{:02d} left", what_, percent, left / 60, left % 60);
    std::fflush(stderr);
}

double peak_memory_mb() {
    rusage usage{};
    getrusage(RUSAGE_SELF, &usage);
    return static_cast<double>(usage.ru_maxrss) / 1024.0;
}

void tell_warnings(const Source& source) {
    for (const auto& warning : source.warnings())
        fmt::print(stderr, "rivlen-cli: {}: {}\n", one_line(source.original().filename().string()), warning);
}

}  // namespace rivlen::cli
