// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/hash.h"

#include <fmt/format.h>
#include <xxhash.h>

namespace rivlen {

struct Hasher::State {
    struct Deleter {
        void operator()(XXH3_state_t* state) const { XXH3_freeState(state); }
    };
    std::unique_ptr<XXH3_state_t, Deleter> xxh{XXH3_createState()};
};

Hasher::Hasher() : state_(std::make_unique<State>()) {
    XXH3_128bits_reset(state_->xxh.get());
}
Hasher::Hasher(Hasher&&) noexcept = default;
Hasher& Hasher::operator=(Hasher&&) noexcept = default;
Hasher::~Hasher() = default;

void Hasher::add(std::span<const std::byte> bytes) {
    XXH3_128bits_update(state_->xxh.get(), bytes.data(), bytes.size());
}

std::string Hasher::hex() const {
    const XXH128_hash_t hash = XXH3_128bits_digest(state_->xxh.get());
    return fmt::format("{:016x}{:016x}", hash.high64, hash.low64);
}

std::string hash_hex(std::span<const std::byte> bytes) {
    Hasher hasher;
    hasher.add(bytes);
    return hasher.hex();
}

}  // namespace rivlen
