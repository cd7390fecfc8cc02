// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/archives.h"

#include <archive.h>
#include <archive_entry.h>
#include <fmt/format.h>

#include <cstdint>
#include <cstring>
#include <fstream>
#include <memory>
#include <regex>

#include "core/base/output_file.h"

namespace rivlen::learn {

namespace {

namespace fs = std::filesystem;

struct ArchiveCloser {
    void operator()(archive* handle) const { archive_read_free(handle); }
};
using Archive = std::unique_ptr<archive, ArchiveCloser>;

Archive new_reader() {
    Archive reader(archive_read_new());
    archive_read_support_filter_all(reader.get());
    archive_read_support_format_all(reader.get());
    return reader;
}

// Files that only hold sounds one after another, with names between them: every RIFF WAVE in them, by its own
// length.
void carve(const fs::path& file, const std::string& prefix, const fs::path& scratch,
           const std::function<bool(const std::string&)>& wanted,
           const std::function<void(const std::string&, const fs::path&)>& take) {
    const auto text = read_text_file(file);
    if (!text) return;
    constexpr std::size_t kHead = 8;  // "RIFF" and the length of what follows
    int count = 0;
    for (std::size_t at = text->find("RIFF"); at != std::string::npos; at = text->find("RIFF", at + 4)) {
        if (text->compare(at + kHead, 4, "WAVE") != 0) continue;
        std::uint32_t length = 0;
        std::memcpy(&length, text->data() + at + 4, sizeof length);
        if (length > text->size() - at - kHead) continue;
        const std::string path = fmt::format("{}{}.wav", prefix, ++count);
        if (!wanted(path)) continue;
        const fs::path sound = scratch / "carved.wav";
        std::ofstream(sound, std::ios::binary)
            .write(text->data() + at, static_cast<std::streamsize>(length + kHead));
        take(path, sound);
        at += length;
    }
}

bool is_archive_name(const std::string& name) {
    static const std::regex pattern(R"(\.(zip|pk3|wz|tar|tar\.[a-z0-9]+|cat)$)");
    return std::regex_search(name, pattern);
}

// Calls `take` with every file in an archive for which it is wanted, extracted to `scratch`.
void walk(archive* reader, const std::string& prefix, const fs::path& scratch,
          const std::function<bool(const std::string&)>& wanted,
          const std::function<void(const std::string&, const fs::path&)>& take) {
    archive_entry* entry = nullptr;
    int count = 0;
    while (archive_read_next_header(reader, &entry) == ARCHIVE_OK) {
        if (archive_entry_filetype(entry) != AE_IFREG) continue;
        const std::string path = prefix + archive_entry_pathname(entry);
        const bool nested = is_archive_name(path);
        if (!nested && !wanted(path)) continue;
        const fs::path file =
            scratch / fmt::format("{}{}{}", prefix.size(), ++count, fs::path(path).extension().string());
        {
            std::ofstream out(file, std::ios::binary);
            const void* block = nullptr;
            std::size_t size = 0;
            la_int64_t offset = 0;
            while (archive_read_data_block(reader, &block, &size, &offset) == ARCHIVE_OK) {
                out.write(static_cast<const char*>(block), static_cast<std::streamsize>(size));
            }
        }
        if (path.ends_with(".cat")) {
            carve(file, path + "!", scratch, wanted, take);
        } else if (nested) {
            const Archive inner = new_reader();
            if (archive_read_open_filename(inner.get(), file.c_str(), 1 << 16) == ARCHIVE_OK) {
                walk(inner.get(), path + "!", scratch, wanted, take);
            }
        } else {
            take(path, file);
        }
        std::error_code ignored;
        fs::remove(file, ignored);
    }
}

}  // namespace

Status walk_archive(std::FILE* stream, const fs::path& scratch,
                    const std::function<bool(const std::string&)>& wanted,
                    const std::function<void(const std::string&, const fs::path&)>& take) {
    const Archive reader = new_reader();
    if (archive_read_open_FILE(reader.get(), stream) != ARCHIVE_OK)
        return make_error(ErrorKind::Io, "Cannot unpack: it is no archive.");
    walk(reader.get(), "", scratch, wanted, take);
    return {};
}

}  // namespace rivlen::learn
