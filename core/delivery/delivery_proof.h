// SPDX-License-Identifier: GPL-3.0-or-later
// What was delivered, read back: the proofs of a report. Used by deliver().
#pragma once

#include "core/delivery/deliver.h"
#include "core/project/target.h"

namespace rivlen {

// XXH3-128; empty when the file cannot be read.
[[nodiscard]] std::string file_checksum(const std::filesystem::path& path);

// What a row's file may measure, with what meters may differ by (EBU Tech 3341: 0.1 LU) and what coders do to
// peaks.
struct AllowedLevels {
    double lowest_lufs = 0, highest_lufs = 0;  // of mixes
    double highest_dbtp = 0;
};
[[nodiscard]] AllowedLevels allowed_levels(const LoudnessTarget& target, bool codes_with_loss);

struct Written {
    std::int64_t frames = 0;  // at the row's rate
    int sound = 0;            // which of the file's sounds
};
// Fills in what is known of a row's file: all levels and peaks are measured in it. Errors: Internal when it
// does not hold what was written; Cancelled; those of decoding.
[[nodiscard]] Status read_back(const DeliveryPlan& plan, const JobControl& job, const Written& written,
                               DeliveredRow& row);
// A coded file against the sound it was made from: in step to the sample, whatever delay its coder has, and
// nearer than kFarthestCodedDb. Errors: Internal when it is not; Cancelled; those of decoding.
inline constexpr double kFarthestCodedDb = -3;
[[nodiscard]] Status compare_coded(const ScratchSound& given, const JobControl& job, DeliveredRow& row);
// Leak and damage of the stems as they are delivered, of every recording that was taken apart.
[[nodiscard]] std::vector<StemFigures> stem_figures(const DeliveryPlan& plan, const JobControl& job);
// Spectrogram of the first recording.
[[nodiscard]] std::string before_picture(const DeliveryPlan& plan);

}  // namespace rivlen
