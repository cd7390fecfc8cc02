// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/takes.h"

#include "core/base/output_file.h"
#include "core/media/decode.h"
#include "core/workflow/free_name.h"

namespace rivlen {

namespace fs = std::filesystem;

fs::path takes_folder(const fs::path& session, const fs::path& work_folder) {
    return session.empty() ? work_folder / "takes"
                           : session.parent_path() / (session.stem().string() + " takes");
}

fs::path next_take(const fs::path& session, const fs::path& work_folder) {
    return free_numbered_name(takes_folder(session, work_folder), "take");
}

std::vector<fs::path> keep_cut_off_takes(const fs::path& folder) {
    std::vector<fs::path> kept;
    for (const auto& left : left_partials(folder)) {
        std::error_code error;
        auto decoder = AudioDecoder::open(left.partial);
        const auto first = decoder ? decoder->read() : Result<std::vector<float>>(decoder.error());
        if (!first || first->empty()) {  // killed before there was any sound
            fs::remove(left.partial, error);
            continue;
        }
        const fs::path take =
            fs::exists(left.target, error) ? free_numbered_name(folder, "take") : left.target;
        fs::rename(left.partial, take, error);  // where that fails the next start tries again
        if (!error) kept.push_back(take);
    }
    return kept;
}

}  // namespace rivlen
