// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/takes.h"

#include <fmt/format.h>

namespace rivlen {

namespace fs = std::filesystem;

fs::path next_take(const fs::path& session, const fs::path& work_folder) {
    const fs::path folder = session.empty() ? work_folder / "takes"
                                            : session.parent_path() / (session.stem().string() + " takes");
    std::error_code error;
    for (int n = 1;; ++n) {
        fs::path file = folder / fmt::format("take {}.wav", n);
        if (!fs::exists(file, error)) return file;
    }
}

}  // namespace rivlen
