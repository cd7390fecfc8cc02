// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/many_recordings.h"

#include "core/base/guarded.h"
#include "core/delivery/exchange.h"
#include "core/workflow/batch.h"
#include "core/workflow/bringing_in.h"
#include "core/workflow/placing.h"
#include "core/workflow/session_media.h"

namespace rivlen {

namespace {

Result<DeliveryReport> deliver_one(const ManyRecordings& what, const BatchEntry& entry,
                                   const JobControl& quiet) {
    const auto brought = bring_in(entry.file, what.split.work_folder, quiet);
    if (!brought) return brought.error();
    Session session = session_of_recording(
        placed_recording(session_path(entry.file), *brought->source, brought->info), brought->source->hash());
    Session asked = session;
    asked.deliveries = what.table;  // what it leaves out of the music is found first
    auto media = load_media(asked, what.split, [&](const std::string&) { return quiet; });
    if (!media) return media.error();
    fit_to_media(session.timeline, *media);
    const DeliveryPlan plan{session,
                            std::move(*media),
                            what.table,
                            entry.name,
                            what.folder / entry.name,
                            what.split.work_folder,
                            what.replace,
                            what.jobs,
                            what.head};
    auto report = deliver(plan, quiet);
    if (!report) return report;
    if (auto status = write_papers(plan, *report, quiet); !status) return status.error();
    return report;
}

std::string first_failure(const DeliveryReport& report) {
    for (const auto& row : report.rows) {
        if (row.state == RowState::Failed) return row.sentence;
    }
    return {};
}

}  // namespace

Status deliver_recordings(const ManyRecordings& what, const JobControl& job,
                          const OnRecording& on_recording) {
    const auto entries = batch_of(what.files);
    const JobControl quiet{{}, job.cancel};
    for (std::size_t i = 0; i < entries.size(); ++i) {
        if (job.cancelled()) return JobControl::cancelled_error();
        job.report(static_cast<double>(i) / static_cast<double>(entries.size()));
        RecordingOutcome outcome{entries[i].name, {}, {}};
        const Status status = guarded([&]() -> Status {
            auto report = deliver_one(what, entries[i], quiet);
            if (!report) return report.error();
            outcome.report = std::move(*report);
            return {};
        });
        if (!status && status.error().kind == ErrorKind::Cancelled) return status;
        outcome.sentence = status ? first_failure(*outcome.report) : status.error().message;
        on_recording(outcome);
    }
    return {};
}

}  // namespace rivlen
