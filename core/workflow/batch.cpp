// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/batch.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <cstdio>
#include <map>
#include <set>
#include <sstream>

#include "core/base/output_file.h"

namespace rivlen {

namespace fs = std::filesystem;

namespace {

std::string lowered(std::string text) {
    for (char& c : text) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    return text;
}

std::vector<fs::path> files_in(const fs::path& folder) {
    std::vector<fs::path> files;
    std::error_code error;
    for (fs::directory_iterator at(folder, error), end; !error && at != end; at.increment(error)) {
        std::error_code ignored;
        if (at->is_regular_file(ignored) && is_recording_name(at->path())) files.push_back(at->path());
    }
    return files;
}

Result<std::vector<fs::path>> files_of_list(const fs::path& list) {
    const auto text = read_text_file(list);
    if (!text) return text.error();
    std::vector<fs::path> files;
    std::istringstream lines(*text);
    for (std::string line; std::getline(lines, line);) {
        while (!line.empty() && (line.back() == '\r' || line.back() == ' ')) line.pop_back();
        if (line.empty() || line.front() == '#') continue;
        const fs::path path = line;
        files.push_back(path.is_absolute() ? path : list.parent_path() / path);
    }
    return files;
}

// A stem that is one folder's name: "..." would lead out of the folder that everything goes to.
std::string folder_name(const fs::path& file) {
    std::string name = file.stem().string();
    return name.empty() || name == "." || name == ".." ? "recording" : name;
}

// Recordings that differ in their ending only get it into their names; what is still alike is counted.
void name_all(std::vector<BatchEntry>& entries) {
    std::map<std::string, int> stems;
    for (const auto& entry : entries) ++stems[lowered(folder_name(entry.file))];
    std::set<std::string> taken;
    for (auto& entry : entries) {
        std::string name = folder_name(entry.file);
        if (stems[lowered(name)] > 1 && entry.file.has_extension())
            name += " " + entry.file.extension().string().substr(1);
        std::string free = name;
        for (int n = 2; !taken.insert(lowered(free)).second; ++n) free = fmt::format("{} {}", name, n);
        entry.name = free;
    }
}

}  // namespace

bool is_recording_name(const fs::path& path) {
    static constexpr std::array kEndings = {".wav", ".flac", ".aif",  ".aiff", ".mp3",
                                            ".m4a", ".ogg",  ".opus", ".mov",  ".mp4",
                                            ".mkv", ".mxf",  ".w64",  ".rf64", ".caf"};
    const std::string ending = lowered(path.extension().string());
    return std::ranges::find(kEndings, ending) != kEndings.end() &&
           !path.filename().string().starts_with('.');
}

Result<std::vector<BatchEntry>> batch_of(const fs::path& folder_or_list) {
    std::error_code error;
    std::vector<fs::path> files;
    if (fs::is_directory(folder_or_list, error)) {
        files = files_in(folder_or_list);
    } else {
        auto listed = files_of_list(folder_or_list);
        if (!listed) return listed.error();
        files = std::move(*listed);
    }
    return batch_of(std::move(files));
}

std::vector<BatchEntry> batch_of(std::vector<fs::path> files) {
    std::ranges::sort(files);
    std::vector<BatchEntry> entries;
    for (auto& file : files) entries.push_back({std::move(file), {}});
    name_all(entries);
    return entries;
}

Result<Shard> shard_of(const std::string& text) {
    Shard out;
    if (text.empty()) return out;
    if (std::sscanf(text.c_str(), "%zu/%zu", &out.number, &out.of) != 2 || out.of < 1 || out.number < 1 ||
        out.number > out.of)
        return make_error(ErrorKind::BadInput,
                          "\"{}\" is no shard. Write I/N, for example 2/8 for the second of eight.", text);
    return out;
}

}  // namespace rivlen
