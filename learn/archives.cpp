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

std::uint32_t big_endian(const std::string& text, std::size_t at) {
    std::uint32_t value = 0;
    for (std::size_t i = 0; i < 4; ++i)
        value = value << 8U | (at + i < text.size() ? static_cast<std::uint8_t>(text[at + i]) : 0U);
    return value;
}

// Bytes of the RIFF WAVE or standard MIDI file that begins there; 0 where there is none, or it is cut short.
std::size_t length_of_wave(const std::string& text, std::size_t at) {
    constexpr std::size_t kHead = 8;  // "RIFF" and the length of what follows
    if (text.compare(at + kHead, 4, "WAVE") != 0) return 0;
    std::uint32_t length = 0;
    std::memcpy(&length, text.data() + at + 4, sizeof length);
    return length <= text.size() - at - kHead ? length + kHead : 0;
}
std::size_t length_of_midi(const std::string& text, std::size_t at) {
    constexpr std::size_t kHead = 14, kTrackHead = 8;
    if (big_endian(text, at + 4) != 6) return 0;
    const std::uint32_t tracks = big_endian(text, at + 8) & 0xFFFFU;
    std::size_t length = kHead;
    for (std::uint32_t i = 0; i < tracks && at + length < text.size(); ++i)
        length += kTrackHead + big_endian(text, at + length + 4);
    return at + length <= text.size() ? length : 0;
}

// Files that only hold others one after another, with names between them: every sound or score in them, by
// its own length.
void carve(const fs::path& file, const std::string& prefix, const fs::path& scratch,
           const std::function<bool(const std::string&)>& wanted,
           const std::function<void(const std::string&, const fs::path&)>& take) {
    const auto text = read_text_file(file);
    if (!text) return;
    const bool scores = file.extension() == ".wad";
    const char* const mark = scores ? "MThd" : "RIFF";
    int count = 0;
    for (std::size_t at = text->find(mark); at != std::string::npos; at = text->find(mark, at + 4)) {
        const std::size_t length = scores ? length_of_midi(*text, at) : length_of_wave(*text, at);
        if (length == 0) continue;
        const std::string path = fmt::format("{}{}{}", prefix, ++count, scores ? ".mid" : ".wav");
        if (!wanted(path)) continue;
        const fs::path carved = scratch / (scores ? "carved.mid" : "carved.wav");
        std::ofstream(carved, std::ios::binary)
            .write(text->data() + at, static_cast<std::streamsize>(length));
        take(path, carved);
        at += length - 4;
    }
}

bool is_archive_name(const std::string& name) {
    static const std::regex pattern(R"(\.(zip|pk3|wz|tar|tar\.[a-z0-9]+|cat|wad)$)");
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
        if (path.ends_with(".cat") || path.ends_with(".wad")) {
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
