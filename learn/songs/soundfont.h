// SPDX-License-Identifier: GPL-3.0-or-later
// Lines of notes made to sound by a soundfont (SF2), by FluidSynth.
#pragma once

#include <filesystem>
#include <memory>

#include "core/base/result.h"
#include "learn/rooms.h"
#include "learn/songs/score.h"

namespace rivlen::learn {

class Soundfont {
  public:
    // Errors: NotFound, BadInput (no soundfont).
    [[nodiscard]] static Result<Soundfont> open(const std::filesystem::path& file);
    Soundfont(Soundfont&&) noexcept;
    Soundfont& operator=(Soundfont&&) noexcept;
    ~Soundfont();

    // The line by itself, dry, with its pan and level, so many frames at kCorpusRate from second 0 on. What
    // sounded before is forgotten. One thread's.
    [[nodiscard]] Stereo play(const PlayedLine& line, std::size_t frames);

  private:
    struct State;
    explicit Soundfont(std::unique_ptr<State> state);
    std::unique_ptr<State> state_;
};

}  // namespace rivlen::learn
