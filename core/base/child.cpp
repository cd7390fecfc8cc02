// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/child.h"

#include <sys/wait.h>

#include <cerrno>

namespace rivlen {

bool ended_well(pid_t child) {
    int code = 0;
    while (::waitpid(child, &code, 0) < 0) {
        if (errno != EINTR) return false;
    }
    return WIFEXITED(code) && WEXITSTATUS(code) == 0;
}

}  // namespace rivlen
