// SPDX-License-Identifier: GPL-3.0-or-later
// The rebuild's side of the document: its media at the session rate, and placing what takes time to read.
#include <algorithm>
#include <cmath>

#include "app/shell/document.h"
#include "app/widgets/text.h"
#include "core/workflow/bringing_in.h"
#include "core/workflow/placing.h"
#include "core/workflow/replacing.h"

namespace rivlen::app {

namespace fs = std::filesystem;

void Document::edit_timeline(const QString& label, const QString& key,
                             const std::function<void(Timeline&)>& change) {
    edit(label, key, [&](Session& session) { change(session.timeline); });
}

const Material* Document::material_of(const fs::path& path) const {
    return media_.find(path);
}

std::int64_t Document::media_length(const fs::path& path) const {
    const Material* material = material_of(path);
    return material != nullptr && material->at_session_rate
               ? static_cast<std::int64_t>(material->at_session_rate->frames())
               : 0;
}

bool Document::place_stems(SessionFrame at) {
    const SessionItem* item = current_item();
    const Material* material = current_material();
    if (item == nullptr || material == nullptr || !material->source || !material->map) {
        emit said(tr("Split the recording first; then its stems can be placed."), false);
        return false;
    }
    const PlacedRecording recording =
        placed_recording(item->path, *material->source, material->info, at.count);
    const bool several = session().items.size() > 1;
    edit_timeline(tr("Place the stems of %1").arg(text(item->path.filename().string())), {},
                  [&](Timeline& r) { place_recording_stems(r, recording, several); });
    return true;
}

void Document::place_file(const fs::path& path, int track, SessionFrame at, std::vector<Insert> chain,
                          std::int64_t skip_frames) {
    want({path, track, 0, at, std::move(chain), skip_frames});
}

void Document::replace_with(const fs::path& path, int clip) {
    want({path, 0, clip, {}, {}, 0});
}

void Document::want(Waiting waiting) {
    waiting.path = session_path(waiting.path);
    look_at(waiting.path, [this, waiting] {
        waiting_.push_back(waiting);
        load(waiting.path);
        place_waiting(waiting.path);
    });
}

// Places what has been waiting for this file, if it is there now.
void Document::place_waiting(const fs::path& path) {
    const Material* material = material_of(path);
    if (material == nullptr || !material->source) return;
    // Comes back when it has been converted.
    if (timeline().sample_rate != 0 && !material->at_session_rate) return;
    for (std::size_t i = 0; i < waiting_.size();) {
        if (waiting_[i].path != path) {
            ++i;
            continue;
        }
        const Waiting waiting = waiting_[i];
        waiting_.erase(waiting_.begin() + static_cast<std::ptrdiff_t>(i));
        if (waiting.clip != 0) {
            place_replacement(waiting, material->at_session_rate);
            continue;
        }
        PlacedRecording recording =
            placed_recording(path, *material->source, material->info, waiting.at.count);
        recording.skip = waiting.skip_frames;
        edit_timeline(tr("Place %1").arg(text(path.filename().string())), {},
                      [&](Timeline& r) { place_recording(r, recording, waiting.track, waiting.chain); });
        material = material_of(path);
    }
}

void Document::place_replacement(const Waiting& waiting, std::shared_ptr<const Source> source) {
    if (timeline().clip(waiting.clip) == nullptr || !source) return;
    auto plan = std::make_shared<const MixPlan>(session(), mix_media());
    jobs_.start_for<double>(
        tr("Measuring loudness"),
        [plan, source, clip = waiting.clip](const JobControl& job) {
            return gain_to_replace(*plan, clip, source, job);
        },
        [this, waiting, length = static_cast<std::int64_t>(source->frames())](const Result<double>& gain_db) {
            if (!gain_db) {
                emit said(text(gain_db.error().message), gain_db.error().kind != ErrorKind::Cancelled);
                return;
            }
            edit_timeline(tr("Replace by %1").arg(text(waiting.path.filename().string())), {},
                          [&](Timeline& r) { replace_by(r, waiting.clip, waiting.path, length, *gain_db); });
            emit said(tr("Replaced; its gain of %1 dB makes it as loud as what it replaces, which stays "
                         "muted on the track below.")
                          .arg(*gain_db, 0, 'f', 1),
                      false);
        });
}

}  // namespace rivlen::app
