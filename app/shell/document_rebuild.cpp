// SPDX-License-Identifier: GPL-3.0-or-later
// The rebuild's side of the document: its media at the session rate, and placing what takes time to read.
#include <algorithm>
#include <cmath>

#include "app/shell/document.h"
#include "core/workflow/placing.h"
#include "core/workflow/replacing.h"

namespace rivlen::app {

namespace fs = std::filesystem;

namespace {

QString text(const std::string& s) {
    return QString::fromStdString(s);
}

}  // namespace

void Document::edit_timeline(const QString& label, const QString& key,
                             const std::function<void(Timeline&)>& change) {
    edit(label, key, [&](Session& session) { change(session.timeline); });
}

const Material* Document::material_of(const fs::path& path) const {
    const auto found = materials_.find(path);
    return found != materials_.end() ? &found->second : nullptr;
}

MixMediaSet Document::mix_media() const {
    MixMediaSet out;
    for (const auto& [path, material] : materials_) {
        if (!material.at_session_rate) continue;
        out[path] = {material.at_session_rate, material.map, material.source->sample_rate()};
    }
    return out;
}

std::int64_t Document::media_length(const fs::path& path) const {
    const Material* material = material_of(path);
    return material != nullptr && material->at_session_rate
               ? static_cast<std::int64_t>(material->at_session_rate->frames())
               : 0;
}

void Document::convert_materials() {
    const int rate = session_.timeline.sample_rate;
    if (rate == 0) return;
    for (auto& [path, material] : materials_) {
        if (material.at_session_rate && material.at_session_rate->sample_rate() != rate)
            material.at_session_rate.reset();
        if (!material.source || material.at_session_rate || material.converting) continue;
        if (material.source->sample_rate() == rate) {
            material.at_session_rate = material.source;
            continue;
        }
        material.converting = true;
        auto converted = std::make_shared<std::shared_ptr<const Source>>();
        jobs_.start(
            tr("Converting %1 to %2 Hz").arg(text(path.filename().string())).arg(rate),
            [source = material.source, rate, folder = work_folder_,
             converted](const JobControl& job) -> Status {
                auto made = Source::at_rate(*source, rate, folder, job);
                if (!made) return made.error();
                *converted = std::make_shared<const Source>(std::move(*made));
                return {};
            },
            [this, path = path, rate, converted](const Status& status) {
                Material& here = materials_[path];
                here.converting = false;
                if (!status) {
                    emit said(text(status.error().message), status.error().kind != ErrorKind::Cancelled);
                } else if (rate == session_.timeline.sample_rate) {
                    here.at_session_rate = *converted;
                    place_waiting(path);
                }
                emit material_changed();
            });
    }
}

bool Document::place_stems(std::int64_t at) {
    const SessionItem* item = current_item();
    const Material* material = current_material();
    if (item == nullptr || material == nullptr || !material->source || !material->map) {
        emit said(tr("Split the recording first; then its stems can be placed."), false);
        return false;
    }
    const PlacedRecording recording = placed_recording(item->path, *material->source, material->info, at);
    const bool several = session_.items.size() > 1;
    edit_timeline(tr("Place the stems of %1").arg(text(item->path.filename().string())), {},
                  [&](Timeline& r) { place_recording_stems(r, recording, several); });
    return true;
}

void Document::place_file(const fs::path& path, int track, std::int64_t at, std::vector<Insert> chain) {
    want({path, track, 0, at, std::move(chain)});
}

void Document::replace_with(const fs::path& path, int clip) {
    want({path, 0, clip, 0, {}});
}

void Document::want(const Waiting& waiting) {
    const auto info = probe(waiting.path);
    if (!info) {
        emit said(text(info.error().message), true);
        return;
    }
    std::error_code error;
    Waiting here = waiting;
    here.path = fs::absolute(waiting.path, error).lexically_normal();
    waiting_.push_back(here);
    if (!materials_.contains(here.path)) load_material(here.path);
    place_waiting(here.path);
}

// Places what has been waiting for this file, if it is there now.
void Document::place_waiting(const fs::path& path) {
    const Material* material = material_of(path);
    if (material == nullptr || !material->source) return;
    if (session_.timeline.sample_rate != 0 && !material->at_session_rate) {
        convert_materials();
        if (!material_of(path)->at_session_rate) return;  // comes back when it has been converted
    }
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
        const PlacedRecording recording =
            placed_recording(path, *material->source, material->info, waiting.at);
        edit_timeline(tr("Place %1").arg(text(path.filename().string())), {},
                      [&](Timeline& r) { place_recording(r, recording, waiting.track, waiting.chain); });
        material = material_of(path);
    }
}

void Document::place_replacement(const Waiting& waiting, std::shared_ptr<const Source> source) {
    if (session_.timeline.clip(waiting.clip) == nullptr || !source) return;
    auto gain_db = std::make_shared<double>(0.0);
    auto plan = std::make_shared<const MixPlan>(session_, mix_media());
    jobs_.start(
        tr("Measuring loudness"),
        [plan, source, gain_db, clip = waiting.clip](const JobControl& job) -> Status {
            const auto found = gain_to_replace(*plan, clip, source, job);
            if (!found) return found.error();
            *gain_db = *found;
            return {};
        },
        [this, waiting, gain_db, length = static_cast<std::int64_t>(source->frames())](const Status& status) {
            if (!status) {
                emit said(text(status.error().message), status.error().kind != ErrorKind::Cancelled);
                return;
            }
            edit_timeline(tr("Replace by %1").arg(text(waiting.path.filename().string())), {},
                          [&](Timeline& r) { replace_by(r, waiting.clip, waiting.path, length, *gain_db); });
            emit said(tr("Replaced; its gain of %1 dB makes it as loud as what it replaces, which stays "
                         "muted on the "
                         "track below.")
                          .arg(*gain_db, 0, 'f', 1),
                      false);
        });
}

}  // namespace rivlen::app
