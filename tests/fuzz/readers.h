// SPDX-License-Identifier: GPL-3.0-or-later
// What reads files from outside, as functions of bytes: none may crash, whatever the bytes are. Used by the
// fuzzer (fuzz_main.cpp, preset "fuzz") and, with a few hundred mutations each, by every test run.
#pragma once

#include <array>
#include <cstddef>
#include <span>

namespace rivlen::fuzz {

enum class Reader {
    Media,
    Session,
    MaskMap,
    Timecode,
    Tensors,
    Table,
    Chain,
    Preset,
    Rendering,
    Corrections,
    OtherSound,
    Ixml,
    Adm
};
inline constexpr int kReaders = 13;
inline constexpr std::array<const char*, kReaders> kReaderNames = {
    "media",  "session",   "map",         "timecode",    "tensors", "table", "chain",
    "preset", "rendering", "corrections", "other_sound", "ixml",    "adm"};

// True when the bytes were taken for good. Values that are taken must be sane: violated expectations abort.
bool read(Reader reader, std::span<const std::byte> bytes);

}  // namespace rivlen::fuzz
