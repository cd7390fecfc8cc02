// SPDX-License-Identifier: GPL-3.0-or-later
// Many recordings delivered by one table: each is brought in, split, placed on tracks, and gets a folder of
// its own.
#pragma once

#include <filesystem>
#include <functional>
#include <string>
#include <vector>

#include "core/delivery/deliver.h"
#include "core/workflow/splitting.h"

namespace rivlen {

struct ManyRecordings {
    std::vector<std::filesystem::path> files;
    HandoverTemplate table;
    std::filesystem::path folder;  // of their folders
    SplitWish split;
    bool replace = false;
    int jobs = 2;                  // rows at a time
    std::filesystem::path head{};  // of binaural rows (DeliveryPlan)
};

struct RecordingOutcome {
    std::string name;                      // of the programme and of its folder
    std::optional<DeliveryReport> report;  // missing where it did not come to a delivery
    std::string sentence;                  // why it did not, or why a row failed; empty: all is well
};
// From the thread that delivers, one after the other.
using OnRecording = std::function<void(const RecordingOutcome&)>;

// One that fails does not stop the others. Errors: Cancelled.
[[nodiscard]] Status deliver_recordings(const ManyRecordings& what, const JobControl& job,
                                        const OnRecording& on_recording);

}  // namespace rivlen
