// SPDX-License-Identifier: GPL-3.0-or-later
// Writing sound files through libsndfile; whole or not at all.
#pragma once

#include <cstdint>
#include <filesystem>
#include <memory>
#include <span>
#include <vector>

#include "core/base/output_file.h"
#include "core/base/result.h"

namespace rivlen {

enum class SoundFormat {
    WavFloat,  // WAV, 32-bit float; RF64 (EBU Tech 3306) when over 4 GB
    Wav24,     // WAV, 24-bit PCM; RF64 when over 4 GB
    Flac24     // FLAC, 24-bit
};
[[nodiscard]] const char* extension_of(SoundFormat format);  // ".wav", ".flac"
// FLAC for a name that ends so, else 32-bit float.
[[nodiscard]] SoundFormat format_for(const std::filesystem::path& file);

class SoundFileWriter {
  public:
    // Errors: Io, DiskFull; Unsupported when the format cannot hold the rate or channels.
    [[nodiscard]] static Result<SoundFileWriter> create(const std::filesystem::path& target,
                                                        SoundFormat format, int sample_rate, int channels);
    SoundFileWriter(SoundFileWriter&&) noexcept;
    SoundFileWriter& operator=(SoundFileWriter&&) noexcept;
    ~SoundFileWriter();  // without commit() nothing stays behind

    // Planar channels of equal length. Errors: DiskFull, Io.
    [[nodiscard]] Status write(std::span<const std::vector<float>> channels);
    // What is written so far can be read from the partial file, too, should this process be killed.
    void keep_readable();
    // Samples beyond full scale so far; in the PCM formats they were clipped.
    [[nodiscard]] std::uint64_t over_full_scale() const;
    // On the disk, but for its name: the caller moves it onto its target (publish_together), or removes it.
    [[nodiscard]] Result<CompleteFile> complete();
    [[nodiscard]] Status commit();
    // After a write has failed: what is written so far becomes the file, as far as it can be read.
    [[nodiscard]] Status commit_what_is_there();

  private:
    struct State;
    explicit SoundFileWriter(std::unique_ptr<State> state);
    std::unique_ptr<State> state_;
};

}  // namespace rivlen
