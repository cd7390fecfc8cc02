// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/media/wave_chunks.h"

#include <array>
#include <cstring>
#include <fstream>

namespace rivlen {

namespace {

constexpr int kMostChunks = 1000;  // before it; more are no recording

std::uint64_t little_endian(const char* bytes, std::size_t count) {
    std::uint64_t value = 0;
    for (std::size_t i = 0; i < count; ++i)
        value |= static_cast<std::uint64_t>(static_cast<unsigned char>(bytes[i])) << (8 * i);
    return value;
}

}  // namespace

std::optional<std::string> wave_chunk(const std::filesystem::path& path, const char* id,
                                      std::uint64_t most_bytes) {
    std::ifstream file(path, std::ios::binary);
    std::array<char, 12> head{};
    if (!file.read(head.data(), head.size()) || std::memcmp(head.data() + 8, "WAVE", 4) != 0) return {};
    const std::string kind(head.data(), 4);
    if (kind != "RIFF" && kind != "RF64" && kind != "BW64") return {};
    std::uint64_t sound_bytes = 0;  // of RF64's data chunk, whose own length says nothing
    for (int k = 0; k < kMostChunks; ++k) {
        std::array<char, 8> chunk{};
        if (!file.read(chunk.data(), chunk.size())) return {};
        std::uint64_t length = little_endian(chunk.data() + 4, 4);
        if (std::memcmp(chunk.data(), id, 4) == 0) {
            if (length > most_bytes) return {};
            std::string bytes(length, '\0');
            if (!file.read(bytes.data(), static_cast<std::streamsize>(length))) return {};
            return bytes;
        }
        if (std::memcmp(chunk.data(), "ds64", 4) == 0 && length >= 16) {
            std::array<char, 16> sizes{};
            if (!file.read(sizes.data(), sizes.size())) return {};
            sound_bytes = little_endian(sizes.data() + 8, 8);
            length -= sizes.size();
        }
        if (std::memcmp(chunk.data(), "data", 4) == 0 && length == 0xFFFFFFFFU) length = sound_bytes;
        if (length > (std::uint64_t{1} << 62)) return {};
        file.seekg(static_cast<std::streamoff>(length + length % 2), std::ios::cur);
    }
    return {};
}

}  // namespace rivlen
