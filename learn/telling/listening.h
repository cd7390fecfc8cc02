// SPDX-License-Identifier: GPL-3.0-or-later
// Mixes to look at and listen to, with their parts as they are and as they come out (docs/listen.md).
#pragma once

#include <filesystem>
#include <functional>
#include <string>

#include "core/base/result.h"

namespace rivlen::learn {

struct ListenOptions {
    std::filesystem::path corpus, model, folder;
    double seconds = 10.0;
    std::function<void(const std::string&)> log;
};
// The first mix of six kinds that figures are told by, as "1 mix.wav", "1 music is.wav", "1 music came
// out.wav" and so on for what sounds in it; logs a table of their figures. Errors: those of Corpus::open(),
// load_network() and of writing.
[[nodiscard]] Status write_for_listening(const ListenOptions& options);

}  // namespace rivlen::learn
