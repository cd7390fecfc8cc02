// SPDX-License-Identifier: GPL-3.0-or-later
// A recording as everything behind the decoder sees it: float32 samples at the recording's own rate, on disk
// and mapped, aligned so that sample 0 lies under the picture's first frame. Made once from the original,
// which is never written to.
//
// The file is a safetensors file with one tensor "sound" [frames, channels]; its metadata is described in
// docs/formats.md.
#pragma once

#include <cstdint>
#include <filesystem>
#include <span>
#include <string>
#include <vector>

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/base/safetensors.h"
#include "core/media/decode.h"

namespace rivlen {

class Source {
  public:
    // Decodes `original` into a file in `work_folder`, or opens the one that an earlier call left for the
    // same file (same path, size and time of change). Samples that are not finite become silence and are
    // counted. Errors: those of AudioDecoder; BadInput (no samples); DiskFull; Io; Cancelled.
    [[nodiscard]] static Result<Source> bring_in(const std::filesystem::path& original,
                                                 const std::filesystem::path& work_folder,
                                                 const JobControl& job = {});
    // The same recording at another rate (libsoxr, very high quality, delay compensated), as a working copy
    // of its own that is made once; at its own rate the recording itself. A map of the original fits it.
    // Errors: DiskFull, Io, Cancelled.
    [[nodiscard]] static Result<Source> at_rate(const Source& source, int sample_rate,
                                                const std::filesystem::path& work_folder,
                                                const JobControl& job = {});
    // Opens a file made by bring_in().
    [[nodiscard]] static Result<Source> open(const std::filesystem::path& sound_file);

    [[nodiscard]] const std::filesystem::path& original() const { return original_; }
    // The working copy itself.
    [[nodiscard]] const std::filesystem::path& sound_file() const { return sound_file_; }
    [[nodiscard]] int sample_rate() const { return sample_rate_; }
    [[nodiscard]] int channels() const { return channels_; }
    [[nodiscard]] std::uint64_t frames() const { return frames_; }
    [[nodiscard]] double seconds() const { return static_cast<double>(frames_) / sample_rate_; }
    // Hash of rate, channels and samples: the same sound has the same hash whatever file it came in.
    [[nodiscard]] const std::string& hash() const { return hash_; }
    // Sentences about trouble that was worked around (samples that are no numbers, damaged packets, a short
    // file).
    [[nodiscard]] const std::vector<std::string>& warnings() const { return warnings_; }

    // frames x channels, interleaved.
    [[nodiscard]] std::span<const float> samples() const { return samples_; }
    // One channel from `start_frame` on; outside the recording is silence.
    void read(int channel, std::int64_t start_frame, std::span<float> out) const;
    void drop_pages() const { file_.drop_pages(); }  // see MappedFile
    // Errors: Io when the working copy was cut short while it was read. Any thread.
    [[nodiscard]] Status intact() const;

  private:
    std::filesystem::path original_;
    int sample_rate_ = 0;
    int channels_ = 0;
    std::uint64_t frames_ = 0;
    std::string hash_;
    std::vector<std::string> warnings_;
    std::filesystem::path sound_file_;
    safetensors::File file_;
    std::span<const float> samples_;
};

}  // namespace rivlen
