// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/fuzz/readers.h"

#include <unistd.h>

#include <array>
#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <string>
#include <string_view>

#include "core/media/source.h"
#include "core/media/timecode.h"
#include "core/project/session.h"
#include "core/separation/mask_map.h"

namespace rivlen::fuzz {

namespace {

namespace fs = std::filesystem;

// One file a process, written again for every input.
class InputFile {
  public:
    InputFile() : folder_(fs::temp_directory_path() / ("rivlen-fuzz-" + std::to_string(::getpid()))) {
        fs::create_directories(folder_);
    }
    ~InputFile() {
        std::error_code ignored;
        fs::remove_all(folder_, ignored);
    }
    InputFile(const InputFile&) = delete;
    InputFile& operator=(const InputFile&) = delete;
    fs::path with(std::span<const std::byte> bytes) {
        const fs::path path = folder_ / "input";
        std::ofstream(path, std::ios::binary)
            .write(reinterpret_cast<const char*>(bytes.data()), static_cast<std::streamsize>(bytes.size()));
        return path;
    }
    [[nodiscard]] fs::path work() const { return folder_ / "work"; }

  private:
    fs::path folder_;
};

void require(bool holds) {
    if (!holds) std::abort();
}

bool read_media(InputFile& file, std::span<const std::byte> bytes) {
    const auto path = file.with(bytes);
    const auto info = probe(path);
    auto source = Source::bring_in(path, file.work());
    std::error_code ignored;
    fs::remove_all(file.work(), ignored);
    if (!source) {
        require(!source.error().message.empty());
        return false;
    }
    require(info.ok() && source->frames() > 0 && source->channels() > 0);
    for (const float x : source->samples()) require(std::isfinite(x));
    return true;
}

bool read_session(std::span<const std::byte> bytes) {
    const std::string text(reinterpret_cast<const char*>(bytes.data()), bytes.size());
    const auto session = session_from_json(text, "/");
    if (!session) return false;
    // What was taken once must come back equal.
    const auto again = session_from_json(session_to_json(*session), "/");
    require(again.ok() && *again == *session);
    return true;
}

bool read_map(InputFile& file, std::span<const std::byte> bytes) {
    const auto map = MaskMap::open(file.with(bytes), "");
    if (!map) return false;
    std::array<float, kMaskRow> masks{};
    for (const double at : {-1.0, 0.0, 0.5, static_cast<double>(map->facts().frames) + 1.0}) {
        map->read(at, masks);
        for (const float m : masks) require(m >= 0.0F && m <= 1.0F);
    }
    return true;
}

bool read_timecode(std::span<const std::byte> bytes) {
    const std::string_view text(reinterpret_cast<const char*>(bytes.data()), bytes.size());
    bool taken = false;
    for (const FrameRate rate : {FrameRate{25, 1}, FrameRate{30000, 1001}, FrameRate{24000, 1001}}) {
        const auto frame = parse_timecode(text, rate);
        if (!frame) continue;
        taken = true;
        const bool drop = text.find(';') != std::string_view::npos;
        require(parse_timecode(format_timecode(*frame, rate, drop), rate) == frame);
    }
    return taken;
}

}  // namespace

bool read(Reader reader, std::span<const std::byte> bytes) {
    static InputFile file;
    switch (reader) {
        case Reader::Media:
            return read_media(file, bytes);
        case Reader::Session:
            return read_session(bytes);
        case Reader::MaskMap:
            return read_map(file, bytes);
        case Reader::Timecode:
            return read_timecode(bytes);
    }
    return false;
}

}  // namespace rivlen::fuzz
