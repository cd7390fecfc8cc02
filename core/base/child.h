// SPDX-License-Identifier: GPL-3.0-or-later
// Programs that run beside this one.
#pragma once

#include <sys/types.h>

namespace rivlen {

// Waits for a child process; whether it ended by itself, with success.
[[nodiscard]] bool ended_well(pid_t child);

}  // namespace rivlen
