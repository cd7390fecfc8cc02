// SPDX-License-Identifier: GPL-3.0-or-later
// Measured responses of a head's two ears to sound from all around (AES69: SOFA files), by libmysofa.
#pragma once

#include <array>
#include <filesystem>
#include <memory>
#include <span>
#include <vector>

#include "core/base/result.h"
#include "core/space/direction.h"

namespace rivlen {

class HeadResponses {
  public:
    // The set that libmysofa comes with: a dummy head with normal pinnae, measured at MIT by Gardner and
    // Martin (1994).
    [[nodiscard]] static std::filesystem::path standard_set();
    // Brought to a rate, levels as they are in the set made even over all directions. Errors: NotFound;
    // BadInput (no SOFA file of free-field head responses). Not for the audio thread.
    [[nodiscard]] static Result<HeadResponses> open(const std::filesystem::path& path, int sample_rate);
    HeadResponses(HeadResponses&&) noexcept;
    HeadResponses& operator=(HeadResponses&&) noexcept;
    ~HeadResponses();

    [[nodiscard]] int sample_rate() const;
    // Left and right ear, from between the measured directions; delays are in the responses, which are all of
    // one length.
    struct Ears {
        std::vector<float> left, right;
    };
    [[nodiscard]] Ears at(Direction direction) const;

  private:
    struct State;
    explicit HeadResponses(std::unique_ptr<State> state);
    std::unique_ptr<State> state_;
};

}  // namespace rivlen
