// SPDX-License-Identifier: GPL-3.0-or-later
// libFuzzer's entry: the first byte chooses the reader, the rest is its input.
#include <cstdint>

#include "tests/fuzz/readers.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    if (size == 0) return 0;
    rivlen::fuzz::read(static_cast<rivlen::fuzz::Reader>(data[0] % rivlen::fuzz::kReaders),
                       std::as_bytes(std::span(data, size).subspan(1)));
    return 0;
}
