// SPDX-License-Identifier: GPL-3.0-or-later
// A session for other tools: cut lists, a table of clips, OpenTimelineIO and DAWproject.
#pragma once

#include <filesystem>
#include <span>
#include <string>

#include "core/base/job.h"
#include "core/delivery/deliver.h"
#include "core/mix/plan.h"

namespace rivlen {

// All clips and picture cuts with timecodes, samples and gains.
[[nodiscard]] std::string clips_to_csv(const Timeline& timeline);

struct ExchangePlan {
    const Session& session;
    const MixMediaSet& media;
    std::string name;
    std::filesystem::path folder, work;
    std::span<const DeliveredRow> rows;  // what lies in the folder
};
// All of them beside one another, a cut list for each track; earlier ones stay. Errors: Io, DiskFull,
// Cancelled, those of rendering.
[[nodiscard]] Status write_exchange(const ExchangePlan& plan, const JobControl& job = {});
// What lies beside the files of a delivery: its reports, and these lists where the table asks for them.
[[nodiscard]] Status write_papers(const DeliveryPlan& plan, const DeliveryReport& report,
                                  const JobControl& job = {});

}  // namespace rivlen
