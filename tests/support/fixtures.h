// SPDX-License-Identifier: GPL-3.0-or-later
// Small recordings, maps and folders for tests.
#pragma once

#include <array>
#include <filesystem>
#include <memory>
#include <string>
#include <vector>

#include "core/media/source.h"
#include "core/separation/mask_map.h"

namespace rivlen::test {

// A folder that goes with the test.
class Scratch {
  public:
    Scratch();
    ~Scratch();
    Scratch(const Scratch&) = delete;
    Scratch& operator=(const Scratch&) = delete;
    [[nodiscard]] std::filesystem::path operator/(const std::string& name) const { return folder_ / name; }
    [[nodiscard]] const std::filesystem::path& folder() const { return folder_; }
    // Files whose names begin with a dot and end in .part...: what an interrupted write would leave.
    [[nodiscard]] int leftovers() const;

  private:
    std::filesystem::path folder_;
};

constexpr int kRate = 48000;  // of what a test makes, when nothing hangs on it
[[nodiscard]] std::filesystem::path demo_picture();
// As one word of a shell's command.
// What a command prints.
[[nodiscard]] std::string output_of(const std::string& command);
[[nodiscard]] std::string quoted(const std::filesystem::path& path);

using Channels = std::vector<std::vector<float>>;
// Noise of about -20 dBFS, always the same for a seed.
[[nodiscard]] std::vector<float> noise(std::size_t frames, unsigned seed);
void write_wav(const std::filesystem::path& path, const Channels& channels, int sample_rate);
[[nodiscard]] Channels read_wav(const std::filesystem::path& path);
// A little sound for lessons to be mixed with (core/separation/other_sound.h).
void make_other_sound(const std::filesystem::path& folder);
// A recording of noise, brought in.
[[nodiscard]] Source noise_source(const Scratch& scratch, int sample_rate, int channels, double seconds);
// A map with the same masks in every band and frame; they add up to one.
[[nodiscard]] MaskMap even_map(const Scratch& scratch, const Source& source, std::array<float, kStems> masks);
// A map of random masks for a recording, in "random<seed>.map".
[[nodiscard]] MaskMap random_map(const Scratch& scratch, const Source& source, unsigned seed = 99);

}  // namespace rivlen::test
