// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mix/sound_objects.h"

#include <algorithm>
#include <cmath>

namespace rivlen {

namespace {

constexpr double kObjectGridSeconds = 0.01;
constexpr double kMostChange = 5;  // of a block: degrees, percent

struct ObjectPlace {
    Direction at;  // azimuth as its line has it, beyond 180 too
    double spread_percent = 0;
};

// Of one channel of a track: side 1 is left, -1 right, 0 a mono track.
ObjectPlace place_at(const Strip& strip, int side, std::int64_t frame) {
    const auto value = [&](LaneTarget target) { return value_at(strip, {target, 0, 0, {}}, frame); };
    const double aside = side == 0 ? 0 : side * value(LaneTarget::Width) / 100 * kSideDeg;
    return {{value(LaneTarget::Azimuth) + aside, value(LaneTarget::Elevation)}, value(LaneTarget::Spread)};
}

double change(const ObjectPlace& a, const ObjectPlace& b) {
    return std::max({std::abs(a.at.azimuth_deg - b.at.azimuth_deg),
                     std::abs(a.at.elevation_deg - b.at.elevation_deg),
                     std::abs(a.spread_percent - b.spread_percent)});
}

class ObjectCourse {
  public:
    ObjectCourse(const Strip& strip, int side, std::int64_t first, int sample_rate)
        : strip_(strip), side_(side), first_(first), rate_(sample_rate) {}

    // Grid places from 0 to `places`.
    std::vector<ObjectBlock> blocks(std::int64_t places) const {
        std::vector<ObjectBlock> out;
        ObjectPlace last_there = place(0);
        std::int64_t begun = 0;
        // Up to a place, and there it is as it is at another one.
        const auto end_block = [&](std::int64_t to, std::int64_t as_at) {
            last_there = place(as_at);
            out.push_back({static_cast<double>(begun) * kObjectGridSeconds,
                           static_cast<double>(to - begun) * kObjectGridSeconds,
                           {std::remainder(last_there.at.azimuth_deg, 360.0), last_there.at.elevation_deg},
                           last_there.spread_percent});
            begun = to;
        };
        if (moves()) {
            end_block(1, 0);
            for (std::int64_t k = 2; k <= places; ++k) {
                // A block ends where the next step would take it too far, and where a line turns.
                if (begun < k - 1 && (change(last_there, place(k)) > kMostChange || turns(k - 1)))
                    end_block(k - 1, k - 1);
            }
        }
        if (begun < places || out.empty()) end_block(std::max(places, begun + 1), places);
        return out;
    }

  private:
    [[nodiscard]] ObjectPlace place(std::int64_t k) const { return place_at(strip_, side_, frame(k)); }
    [[nodiscard]] std::int64_t frame(std::int64_t k) const {
        return first_ + std::llround(static_cast<double>(k) * kObjectGridSeconds * rate_);
    }
    [[nodiscard]] bool moves() const {
        return std::ranges::any_of(strip_.lines, [](const StripLane& line) {
            return line.target == LaneTarget::Azimuth || line.target == LaneTarget::Elevation ||
                   line.target == LaneTarget::Spread || line.target == LaneTarget::Width;
        });
    }
    // Whether it goes on from here otherwise than it came.
    [[nodiscard]] bool turns(std::int64_t k) const {
        const ObjectPlace before = place(k - 1), here = place(k), after = place(k + 1);
        const auto bend = [](double a, double b, double c) { return std::abs(a - 2 * b + c); };
        constexpr double kStraight = 1e-3;
        return bend(before.at.azimuth_deg, here.at.azimuth_deg, after.at.azimuth_deg) > kStraight ||
               bend(before.at.elevation_deg, here.at.elevation_deg, after.at.elevation_deg) > kStraight ||
               bend(before.spread_percent, here.spread_percent, after.spread_percent) > kStraight;
    }

    const Strip& strip_;
    int side_;
    std::int64_t first_;
    int rate_;
};

}  // namespace

bool can_be_object(const Timeline& timeline, const Track& track) {
    return channels_of(track.layout) <= 2 && channels_of(timeline.main_layout()) > 2 &&
           track.bus == timeline.main_bus() && !track.clips.empty();
}

std::vector<SoundObject> sound_objects(const Timeline& timeline, std::int64_t first, std::int64_t last) {
    const auto places = static_cast<std::int64_t>(std::ceil(
        static_cast<double>(last - first) / std::max(1, timeline.sample_rate) / kObjectGridSeconds));
    std::vector<SoundObject> out;
    for (const auto& track : timeline.tracks) {
        if (!can_be_object(timeline, track)) continue;
        SoundObject object{track.id, track.name, {}};
        const bool mono = track.layout == Layout::Mono;
        for (const int side : mono ? std::vector{0} : std::vector{1, -1})
            object.sides.push_back(
                ObjectCourse(track.strip, side, first, timeline.sample_rate).blocks(places));
        out.push_back(std::move(object));
    }
    return out;
}

}  // namespace rivlen
