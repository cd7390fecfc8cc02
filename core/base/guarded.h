// SPDX-License-Identifier: GPL-3.0-or-later
// The border of a thread: what is thrown inside (memory that is not there, above all) comes out as an error
// value.
#pragma once

#include <exception>
#include <new>

#include "core/base/result.h"

namespace rivlen {

[[nodiscard]] inline Error out_of_memory() {
    return make_error(ErrorKind::Io,
                      "There is not enough memory for this. Close other programs, or work on a shorter "
                      "recording.");
}

// work: gives a Status. Errors: its own; Io when memory runs out; Internal for anything else that is thrown.
template <typename Work>
[[nodiscard]] Status guarded(const Work& work) {
    try {
        return work();
    } catch (const std::bad_alloc&) {
        return out_of_memory();
    } catch (const std::exception& problem) {
        return make_error(ErrorKind::Internal,
                          "Something went wrong that should not ({}). Please report this.", problem.what());
    }
}

}  // namespace rivlen
