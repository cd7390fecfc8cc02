// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/space.h"

#include <sys/stat.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <map>

#include "core/media/source.h"
#include "core/separation/mask_map.h"
#include "core/workflow/splitting.h"

namespace rivlen {

namespace fs = std::filesystem;

namespace {

struct OnDisk {
    std::uint64_t bytes = 0;
    std::chrono::system_clock::time_point used;
};

OnDisk on_disk(const fs::path& file) {
    struct stat facts {};
    if (::stat(file.c_str(), &facts) != 0) return {};
    const auto last = std::max(facts.st_atime, facts.st_mtime);
    return {static_cast<std::uint64_t>(facts.st_blocks) * 512U, std::chrono::system_clock::from_time_t(last)};
}

}  // namespace

std::vector<KeptRecording> kept_in(const fs::path& work_folder) {
    // Maps name the sound that they are of by its hash, working copies name the recording.
    std::map<std::string, fs::path> originals;
    std::vector<std::pair<fs::path, std::string>> files;
    std::error_code error;
    std::vector<fs::path> there;
    for (const auto& folder : {work_folder, work_folder / kSecondFolder}) {
        error.clear();
        for (fs::directory_iterator at(folder, error), end; !error && at != end; at.increment(error))
            there.push_back(at->path());
    }
    for (const fs::path& file : there) {
        if (file.extension() == ".sound") {
            const auto source = Source::open(file);
            if (!source) continue;
            originals.try_emplace(source->hash(), source->original());
            files.emplace_back(file, source->hash());
        } else if (file.extension() == ".map") {
            const auto map = MaskMap::open(file, {});
            if (map) files.emplace_back(file, map->facts().source_hash);
        }
    }
    std::map<std::string, KeptRecording> by_sound;
    std::map<std::string, std::chrono::system_clock::time_point> used;
    for (const auto& [file, hash] : files) {
        // The same recording at another rate has a hash of its own: the original brings them together.
        const auto known = originals.find(hash);
        const std::string key = known != originals.end() ? known->second.string() : hash;
        KeptRecording& kept = by_sound[key];
        if (known != originals.end()) kept.original = known->second;
        const OnDisk facts = on_disk(file);
        kept.files.push_back(file);
        kept.bytes += facts.bytes;
        used[key] = std::max(used[key], facts.used);
    }
    std::vector<KeptRecording> all;
    for (auto& [key, kept] : by_sound) {
        kept.original_there = !kept.original.empty() && fs::exists(kept.original, error);
        kept.unused = std::max(std::chrono::hours(0), std::chrono::duration_cast<std::chrono::hours>(
                                                          std::chrono::system_clock::now() - used[key]));
        all.push_back(std::move(kept));
    }
    std::ranges::sort(all, std::greater{}, &KeptRecording::bytes);
    return all;
}

Result<std::uint64_t> remove_kept(const KeptRecording& recording, const std::set<fs::path>& in_use) {
    std::uint64_t freed = 0;
    for (const auto& file : recording.files) {
        if (in_use.contains(file)) continue;
        const std::uint64_t bytes = on_disk(file).bytes;
        std::error_code error;
        if (fs::remove(file, error)) freed += bytes;
        if (error)
            return make_error(ErrorKind::Io,
                              "\"{}\" cannot be removed: {}. Check the permissions of its folder.",
                              file.string(), error.message());
    }
    return freed;
}

}  // namespace rivlen
