// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/teacher.h"

#include "core/separation/engine_library.h"
#include "core/separation/separator.h"

namespace rivlen {

Result<TeachingReport> teach(const std::filesystem::path& engine, const TeachingWish& wish,
                             const JobControl& job) {
    const auto entry = engine_entry(engine, kTeacherEntry);
    if (!entry) return entry.error();
    return reinterpret_cast<TeacherEntry>(*entry)(kEngineVersion, wish, job);
}

}  // namespace rivlen
