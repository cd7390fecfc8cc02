// SPDX-License-Identifier: GPL-3.0-or-later
// Something in the picture is followed from frame to frame, by a library that is opened when it is first
// needed (follower/), so that what only mixes needs no computer vision.
#pragma once

#include <filesystem>
#include <memory>

#include "core/base/result.h"
#include "core/media/picture.h"
#include "core/space/screen.h"

namespace rivlen {

// Around what is followed; of the picture's width and height, from 0 to 1.
struct PictureBox {
    double x = 0.5, y = 0.5;  // its middle
    double width = 0.1, height = 0.1;
    bool operator==(const PictureBox&) const = default;
};

struct FollowStep {
    PictureBox box;         // where it was seen last
    double confidence = 0;  // 0 to 1
    bool lost = true;       // hidden, gone, or not to be told from something else: box says nothing then
};

// One thing in one picture; frames come in order and have one size.
class Follower {
  public:
    Follower() = default;
    Follower(const Follower&) = delete;
    Follower& operator=(const Follower&) = delete;
    virtual ~Follower() = default;
    virtual void begin(const PictureFrame& frame, const PictureBox& box) = 0;
    [[nodiscard]] virtual FollowStep next(const PictureFrame& frame) = 0;
};

inline constexpr int kFollowerVersion = 1;
inline constexpr const char* kFollowerEntry = "rivlen_follower";
using FollowerEntry = std::unique_ptr<Follower> (*)(int version);  // null for another version

// library: empty: $RIVLEN_FOLLOWER, the one that is installed with the program, or that of the build tree.
// Errors: NotFound, Mismatch.
[[nodiscard]] Result<std::unique_ptr<Follower>> load_follower(const std::filesystem::path& library = {});

}  // namespace rivlen
