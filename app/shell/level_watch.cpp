// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/level_watch.h"

#include <algorithm>

#include "core/project/silences.h"

namespace rivlen::app {

namespace {
constexpr int kLevelsRestMs = 150;
}

LevelWatch::LevelWatch(Document& document, JobList& jobs, QObject* parent)
    : QObject(parent), document_(document), jobs_(jobs) {
    rest_.setSingleShot(true);
    rest_.setInterval(kLevelsRestMs);
    connect(&rest_, &QTimer::timeout, this, &LevelWatch::measure);
    connect(&document_, &Document::material_changed, this, [this] { ++media_; });
}

bool LevelWatch::holds(const Measured& m, const Track& track) const {
    return m.media == media_ && m.card == track.card && m.clips == track.clips &&
           m.items == document_.session().items;
}

const std::vector<float>* LevelWatch::levels(int id) {
    const Track* track = document_.timeline().track(id);
    if (track == nullptr) return nullptr;
    const auto found = measured_.find(id);
    if (found != measured_.end() && holds(found->second, *track))
        return found->second.ready ? &found->second.levels : nullptr;
    if (std::ranges::find(wanted_, id) == wanted_.end()) wanted_.push_back(id);
    if (!rest_.isActive()) rest_.start();  // asked again and again while it is drawn
    return nullptr;
}

void LevelWatch::measure() {
    auto wanted = std::move(wanted_);
    wanted_.clear();
    for (const int id : wanted) {
        const auto& tracks = document_.timeline().tracks;
        const auto at = std::ranges::find(tracks, id, &Track::id);
        if (at == tracks.end()) continue;
        Measured& m = measured_[id];
        if (m.job != 0) jobs_.cancel(m.job);
        m = {at->clips, document_.session().items, at->card, media_, {}, false, 0};
        ducked_.clear();
        auto plan = std::make_shared<const MixPlan>(document_.session(), document_.mix_media());
        auto result = std::make_shared<std::vector<float>>();
        const auto place = static_cast<std::size_t>(at - tracks.begin());
        auto number = std::make_shared<int>(0);
        *number = m.job = jobs_.start(
            tr("Measuring levels"),
            [plan, place, result](const JobControl& job) -> Status {
                auto levels = track_levels(*plan, place, job);
                if (!levels) return levels.error();
                *result = std::move(*levels);
                return {};
            },
            [this, id, result, number](const Status& status) {
                Measured& here = measured_[id];
                if (!status || here.job != *number) return;
                here.levels = std::move(*result);
                here.ready = true;
                here.job = 0;
                emit changed();
            },
            true);
    }
}

const std::vector<float>& LevelWatch::duck_gains_of(int id) {
    const Track* track = document_.timeline().track(id);
    if (track == nullptr || !track->ducking.acts()) return none_;
    std::vector<const std::vector<float>*> keys;
    for (const int id_of_key : track->ducking.key_tracks) keys.push_back(levels(id_of_key));
    if (std::ranges::find(keys, nullptr) != keys.end()) return none_;
    const std::int64_t steps = document_.timeline().end() / kDuckStep + 1;
    Ducked& d = ducked_[id];
    if (d.levels != keys || !(d.ducking == track->ducking) || d.count != static_cast<std::size_t>(steps)) {
        std::vector<std::span<const float>> spans;
        for (const auto* of : keys) spans.emplace_back(*of);
        d = {track->ducking, keys, static_cast<std::size_t>(steps),
             duck_gains(track->ducking, document_.timeline().sample_rate, loudest_of(spans), steps)};
    }
    return d.gains;
}

}  // namespace rivlen::app
