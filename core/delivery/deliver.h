// SPDX-License-Identifier: GPL-3.0-or-later
// Carries a table of deliveries out: checked first, rendered, brought to a target, written whole, read back.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/base/job.h"
#include "core/delivery/scratch_sound.h"
#include "core/delivery/spoken_parts.h"
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
    std::filesystem::path head{};  // responses of binaural rows; empty: the standard set
};

// What is wrong before anything is rendered; only errors keep rows from being delivered.
struct Issue {
    int row = -1;  // -1: all of it
    bool error = true;
    std::string sentence;
};
[[nodiscard]] std::vector<Issue> check(const DeliveryPlan& plan);

// What will be written, by what each kind takes a second; in bytes.
struct DeliverySize {
    double bytes = 0;
    std::optional<double> free_bytes;  // on the folder's disk; nothing where it cannot be told
};
[[nodiscard]] DeliverySize size_of(const DeliveryPlan& plan);

enum class RowState { Done, Skipped, Failed, Cancelled };
struct DeliveredRow {
    int row = 0;
    HandoverRow asked;
    std::filesystem::path path;
    RowState state = RowState::Failed;
    std::string sentence;  // why it failed, or what to know
    double gain_db = 0, limited_db = 0;
    std::vector<float> reduction_by_second;     // of its limiter, dB; empty when it did not act
    std::shared_ptr<const SpokenParts> spoken;  // where a target asks for speech
    Level gated_lufs;         // as the target asks for: of the programme, or of its spoken parts
    Level difference_db;      // coded files: (decoded - given) against given, in step to the sample
    LoudnessTimeline course;  // of the file as it was read back
    std::string picture;      // spectrogram of it, of mixes
    std::int64_t frames = 0;
    int sample_rate = 0, channels = 0;
    std::string checksum;  // XXH3-128 of the file
    std::uint64_t bytes = 0;
    bool on_target = true;
    double seconds = 0;
};

// Stems of one version, read back and added up, against its mix: the file as it is where no limiter acted;
// with the file of what limiter and buses did added, too; else the mix as it went into the limiter.
enum class SumAgainst { Mix, MixWithLimiterFile, BeforeLimiter };
struct SumProof {
    std::string version, target;
    std::string channels;  // channels_label() of its rows
    SumAgainst against = SumAgainst::Mix;
    Level peak_dbfs;  // of the difference; missing: there is none
};

// How well a recording was taken apart, with the settings that were delivered: over at most a minute from its
// middle.
struct StemFigures {
    std::string recording;
    std::size_t sound = 0;  // stem, or part of the music
    Level bleed_db;         // missing: nothing leaks
    double damage = 0;      // see core/assessment/tradeoff.h
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
// Which stem a track plays: by what its clips play, else by its name; ambience where neither tells.
[[nodiscard]] Stem stem_of(const Track& track);

}  // namespace rivlen
