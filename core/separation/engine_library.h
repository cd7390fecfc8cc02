// SPDX-License-Identifier: GPL-3.0-or-later
// The shared library that the separation engine lives in.
#pragma once

#include <filesystem>

#include "core/base/result.h"

namespace rivlen {

// What the engine exports under a name; it is opened when that is first asked for, and never closed. engine:
// see load_separator(). Errors: NotFound, Mismatch. Any thread.
[[nodiscard]] Result<void*> engine_entry(const std::filesystem::path& engine, const char* name);

}  // namespace rivlen
