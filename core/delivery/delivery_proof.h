// SPDX-License-Identifier: GPL-3.0-or-later
// What was delivered, read back: the proofs of a report. Used by deliver().
#pragma once

#include <optional>

#include "core/delivery/deliver.h"

namespace rivlen {

// XXH3-128; empty when the file cannot be read.
[[nodiscard]] std::string file_checksum(const std::filesystem::path& path);

struct ReadBack {
    std::int64_t frames = 0;  // that were written, at the row's rate
    Level true_peak_dbtp;     // of files that hold every sample as it was it is not measured
                              // again
    int sound = 0;            // which of the file's sounds
};
// Fills in what is known of a row's file. Errors: Internal when it does not hold what was written; Cancelled;
// those of decoding.
[[nodiscard]] Status read_back(const DeliveryPlan& plan, const JobControl& job, const HandoverRow& row,
                               const ReadBack& written, DeliveredRow& out);
// Stems that were delivered beside a mix of the same version, read back and added up.
[[nodiscard]] std::vector<SumProof> add_up(const std::vector<DeliveredRow>& rows);
// Leak and damage of the stems as they are delivered, of every recording that was taken apart.
[[nodiscard]] std::vector<StemFigures> stem_figures(const DeliveryPlan& plan, const JobControl& job);
// Spectrogram of the first recording.
[[nodiscard]] std::string before_picture(const DeliveryPlan& plan);

}  // namespace rivlen
