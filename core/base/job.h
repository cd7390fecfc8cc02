// SPDX-License-Identifier: GPL-3.0-or-later
// What long work is given: a way to say how far it is, and a way to be stopped.
#pragma once

#include <atomic>
#include <functional>

#include "core/base/result.h"

namespace rivlen {

struct JobControl {
    std::function<void(double done_share)> progress;  // 0..1; may be called from any thread
    const std::atomic<bool>* cancel = nullptr;

    void report(double done_share) const {
        if (progress) progress(done_share);
    }
    [[nodiscard]] bool cancelled() const {
        return cancel != nullptr && cancel->load(std::memory_order_relaxed);
    }
    [[nodiscard]] static Error cancelled_error() {
        return make_error(ErrorKind::Cancelled, "Stopped; nothing was written.");
    }
};

}  // namespace rivlen
