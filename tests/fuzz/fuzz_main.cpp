// SPDX-License-Identifier: GPL-3.0-or-later
// libFuzzer's entry: RIVLEN_READER chooses the reader (tools/fuzz runs one after another).
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <string_view>

#include "tests/fuzz/readers.h"

namespace {

rivlen::fuzz::Reader wanted() {
    const char* name = std::getenv("RIVLEN_READER");
    for (std::size_t i = 0; name != nullptr && i < rivlen::fuzz::kReaders; ++i) {
        if (std::string_view(name) == rivlen::fuzz::kReaderNames[i])
            return static_cast<rivlen::fuzz::Reader>(i);
    }
    std::fputs("RIVLEN_READER has to name a reader; they stand in tests/fuzz/readers.h.\n", stderr);
    std::exit(2);
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    static const auto reader = wanted();
    rivlen::fuzz::read(reader, std::as_bytes(std::span(data, size)));
    return 0;
}
