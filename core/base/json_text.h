// SPDX-License-Identifier: GPL-3.0-or-later
// JSON that comes from outside.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <string_view>

namespace rivlen {

// No file of ours nests deeper; what does would overflow the stack of whoever walks through it.
inline constexpr int kDeepestJson = 64;

// The value of a text; is_discarded() when it is no JSON or nests too deep. Throws nothing but what memory
// does.
[[nodiscard]] nlohmann::json parse_json(std::string_view text);

}  // namespace rivlen
