// SPDX-License-Identifier: GPL-3.0-or-later
// XXH3 with 128 bits: ties maps to sources and caches to files. Not meant against forgery.
#pragma once

#include <cstddef>
#include <memory>
#include <span>
#include <string>
#include <string_view>

namespace rivlen {

class Hasher {
  public:
    Hasher();
    Hasher(Hasher&&) noexcept;
    Hasher& operator=(Hasher&&) noexcept;
    ~Hasher();
    void add(std::span<const std::byte> bytes);
    [[nodiscard]] std::string hex() const;  // 32 hexadecimal digits

  private:
    struct State;
    std::unique_ptr<State> state_;
};

[[nodiscard]] std::string hash_hex(std::span<const std::byte> bytes);
[[nodiscard]] inline std::string hash_hex(std::string_view text) {
    return hash_hex(std::as_bytes(std::span(text.data(), text.size())));
}

}  // namespace rivlen
