// SPDX-License-Identifier: GPL-3.0-or-later
// Carries a table of deliveries out: checked first, rendered, brought to a target, written whole, read back.
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "core/base/job.h"
#include "core/delivery/scratch_sound.h"
#include "core/mix/plan.h"
#include "core/project/delivery_table.h"
#include "core/project/session.h"

namespace rivlen {

struct DeliveryPlan {
    Session session;
    MixMediaSet media;
    HandoverTemplate table;
    std::string name;  // of the programme, for {name}
    std::filesystem::path folder, work;
    bool replace = false;
    int jobs = 2;
};

// What is wrong before anything is rendered; only errors keep rows from being delivered.
struct Issue {
    int row = -1;  // -1: all of it
    bool error = true;
    std::string sentence;
};
[[nodiscard]] std::vector<Issue> check(const DeliveryPlan& plan);

enum class RowState { Done, Skipped, Failed, Cancelled };
struct DeliveredRow {
    int row = 0;
    HandoverRow asked;
    std::filesystem::path path;
    RowState state = RowState::Failed;
    std::string sentence;  // why it failed, or what to know
    double gain_db = 0, limited_db = 0;
    Level gated_lufs;         // as the target asks for: programme or dialogue
    LoudnessTimeline course;  // of the file as it was read back
    std::string picture;      // spectrogram of it, of mixes
    std::int64_t frames = 0;
    int sample_rate = 0, channels = 0;
    std::string checksum;  // XXH3-128 of the file
    std::uint64_t bytes = 0;
    bool on_target = true;
    double seconds = 0;
};

// Stems of one version added up, against its mix.
struct SumProof {
    std::string version, target;
    Level peak_dbfs;  // of the difference; missing: there is none
};

// How well a recording was taken apart, with the settings that were delivered: over at most a minute from its
// middle.
struct StemFigures {
    std::string recording;
    Stem stem = Stem::Dialogue;
    Level bleed_db;     // missing: nothing leaks
    double damage = 0;  // see core/assessment/tradeoff.h
};

struct DeliveryReport {
    std::string name;
    std::vector<StemFigures> figures;
    std::string before_picture,
        after_picture;  // spectrograms as <img src>: the first recording, the first mix
    std::vector<DeliveredRow> rows;
    std::vector<SumProof> sums;
    std::vector<Issue> issues;
    double times_real_time = 0;  // sound written over time taken
    [[nodiscard]] bool all_done() const;
};

enum class DeliveryStep { Started, Done, Skipped, Failed, Cancelled };
struct DeliveryEvent {
    int row = 0;
    DeliveryStep step = DeliveryStep::Started;
    std::string file, sentence;
};
// May be called from any thread, one at a time.
using OnDelivery = std::function<void(const DeliveryEvent&)>;

// Rows run side by side; one that fails leaves no file and does not stop the others. A row whose file is
// there, made from the same session and row and unharmed (by its checksum), is skipped. Errors: BadInput when
// there is nothing to deliver.
[[nodiscard]] Result<DeliveryReport> deliver(const DeliveryPlan& plan, const JobControl& job = {},
                                             const OnDelivery& on_event = {});

// The tracks of a session that a row holds; the others are muted.
[[nodiscard]] Session session_for(const Session& session, Content content, int card);
// Which stem a track plays: by its clips' feeds, else by its name; ambience where neither tells.
[[nodiscard]] Stem stem_of(const Track& track);

}  // namespace rivlen
