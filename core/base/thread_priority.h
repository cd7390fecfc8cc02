// SPDX-License-Identifier: GPL-3.0-or-later
// Work that nobody waits for gives way to playing.
#pragma once

#include <sys/resource.h>
#include <sys/syscall.h>
#include <unistd.h>

namespace rivlen {

// This thread alone runs at a lower priority from now on (Linux: nice values belong to threads). What cannot
// be lowered stays as it is: nothing depends on it but comfort.
inline void give_way() {
    constexpr int kNice = 10;
    setpriority(PRIO_PROCESS, static_cast<id_t>(syscall(SYS_gettid)), kNice);
}

}  // namespace rivlen
