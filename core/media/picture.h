// SPDX-License-Identifier: GPL-3.0-or-later
// Pictures out of a file, frame by frame. Times are seconds from the picture's first frame.
#pragma once

#include <cstdint>
#include <filesystem>
#include <memory>
#include <vector>

#include "core/base/result.h"

namespace rivlen {

struct PictureFrame {
    int width = 0;
    int height = 0;
    double seconds = 0;             // when this frame begins
    std::vector<std::uint8_t> rgb;  // rows of width * 3 bytes
};

// Not thread-safe: one reader a thread.
class PictureReader {
  public:
    // Errors: as probe(); BadInput when there is no picture.
    [[nodiscard]] static Result<PictureReader> open(const std::filesystem::path& path);
    PictureReader(PictureReader&&) noexcept;
    PictureReader& operator=(PictureReader&&) noexcept;
    ~PictureReader();

    // The frame shown at a time (the last one at or before it), fitted into the given box with its
    // proportions kept. Going on a little forward is cheap; anything else seeks. Errors: BadInput when it
    // cannot be decoded.
    [[nodiscard]] Result<PictureFrame> frame_at(double seconds, int box_width, int box_height);

  private:
    struct State;
    explicit PictureReader(std::unique_ptr<State> state);
    std::unique_ptr<State> state_;
};

}  // namespace rivlen
