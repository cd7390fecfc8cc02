// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/timeline_json.h"

#include "core/project/markers.h"

#include <algorithm>

#include "core/project/editing.h"
#include "core/project/json_reading.h"

namespace rivlen {

namespace {

constexpr std::array<std::pair<const char*, double FoldDown::*>, 4> kFoldDownLevels = {
    {{"centre", &FoldDown::centre_db},
     {"surround", &FoldDown::surround_db},
     {"height", &FoldDown::height_db},
     {"lfe", &FoldDown::lfe_db}}};

using json_reading::flag;
using json_reading::number;
using json_reading::part;
using json_reading::place_of;
using json_reading::text;
using nlohmann::json;

constexpr std::int64_t kMostFrames = std::int64_t{1} << 37;  // days at any rate
constexpr double kMostId = 1e9;
constexpr std::array<const char*, 10> kTargetKeys = {"gain", "pan",     "mute",      "part",   "width",
                                                     "send", "azimuth", "elevation", "spread", "lfe"};
constexpr std::array<const char*, 2> kPanLawKeys = {"balance", "sides"};

std::int64_t frames(const json& entry, const char* key, std::int64_t lowest = 0) {
    const json& value = part(entry, key);
    if (!value.is_number_integer()) return 0;
    return std::clamp(value.get<std::int64_t>(), lowest, kMostFrames);
}
int whole(const json& entry, const char* key, int otherwise) {
    return static_cast<int>(number(entry, key, -kMostId, kMostId, otherwise));
}
// Each entry of a list that is an object.
template <typename Take>
void for_each(const json& list, const Take& take) {
    if (!list.is_array()) return;
    for (const json& entry : list) {
        if (entry.is_object()) take(entry);
    }
}

json fade_to_json(const Fade& fade) {
    return {{"frames", fade.frames}, {"shape", kFadeKeys[static_cast<std::size_t>(fade.shape)]}};
}
Fade fade_from_json(const json& entry) {
    return {frames(entry, "frames"),
            static_cast<FadeShape>(place_of(kFadeKeys, text(entry, "shape")).value_or(0))};
}

json place_to_json(const Place& place) {
    return {{"azimuth_deg", place.azimuth_deg},
            {"elevation_deg", place.elevation_deg},
            {"spread_percent", place.spread_percent},
            {"lfe_db", place.lfe_db}};
}
Place place_from_json(const json& entry) {
    return {number(entry, "azimuth_deg", -kMostAzimuthDeg, kMostAzimuthDeg, 0),
            number(entry, "elevation_deg", -90, 90, 0), number(entry, "spread_percent", 0, 100, 0),
            number(entry, "lfe_db", kLowestGainDb, kHighestLfeDb, kLowestGainDb)};
}
Layout layout_from_json(const json& entry) {
    return layout_of_key(text(entry, "layout")).value_or(Layout::Stereo);
}

json strip_to_json(const Strip& strip) {
    json out = {{"gain_db", strip.gain_db}, {"pan_percent", strip.pan_percent}};
    if (strip.mute) out["mute"] = true;
    if (strip.solo) out["solo"] = true;
    if (strip.polarity_inverted) out["invert"] = true;
    if (strip.pan_law != PanLaw::Balance)
        out["pan_law"] = kPanLawKeys[static_cast<std::size_t>(strip.pan_law)];
    if (strip.width_percent != 100) out["width_percent"] = strip.width_percent;
    if (!(strip.place == Place())) out["place"] = place_to_json(strip.place);
    if (!strip.chain.empty()) out["chain"] = chain_to_json(strip.chain);
    for (const auto& send : strip.sends)
        out["sends"].push_back({{"bus", send.bus},
                                {"level_db", send.level_db},
                                {"before_fader", send.before_fader},
                                {"on", send.on}});
    for (const auto& line : strip.lines) {
        json entry = {{"target", kTargetKeys[static_cast<std::size_t>(line.target)]}};
        if (line.target == LaneTarget::Part) {
            entry["part"] = line.part;
            entry["parameter"] = line.parameter;
        } else if (line.target == LaneTarget::Send) {
            entry["part"] = line.part;
        }
        for (const auto& p : line.points) entry["points"].push_back({p.frame, p.value});
        out["lines"].push_back(std::move(entry));
    }
    return out;
}

Strip strip_from_json(const json& entry) {
    Strip strip;
    strip.gain_db = number(entry, "gain_db", kLowestGainDb, kHighestGainDb, 0);
    strip.pan_percent = number(entry, "pan_percent", -100, 100, 0);
    strip.mute = flag(entry, "mute", false);
    strip.solo = flag(entry, "solo", false);
    strip.polarity_inverted = flag(entry, "invert", false);
    strip.pan_law = static_cast<PanLaw>(place_of(kPanLawKeys, text(entry, "pan_law")).value_or(0));
    strip.width_percent = number(entry, "width_percent", -100, 100, 100);
    if (part(entry, "place").is_object()) strip.place = place_from_json(part(entry, "place"));
    strip.chain = chain_from_json(part(entry, "chain"));
    for_each(part(entry, "sends"), [&](const json& e) {
        strip.sends.push_back({whole(e, "bus", 0), number(e, "level_db", kLowestGainDb, kHighestGainDb, 0),
                               flag(e, "before_fader", false), flag(e, "on", true)});
    });
    for_each(part(entry, "lines"), [&](const json& e) {
        const StripLane target{static_cast<LaneTarget>(place_of(kTargetKeys, text(e, "target")).value_or(0)),
                               whole(e, "part", 0),
                               whole(e, "parameter", 0),
                               {}};
        const ValueRange range = range_of(strip, target);
        const json& points = part(e, "points");
        std::vector<Breakpoint> read;
        for (std::size_t i = 0; points.is_array() && i < points.size(); ++i) {
            const json& p = points[i];
            if (!p.is_array() || p.size() != 2 || !p[0].is_number_integer() || !p[1].is_number()) continue;
            read.push_back({std::clamp<std::int64_t>(p[0].get<std::int64_t>(), 0, kMostFrames),
                            std::clamp(p[1].get<double>(), range.lowest, range.highest)});
        }
        set_points(strip, target, std::move(read));
    });
    return strip;
}

constexpr std::size_t kMostKeyTracks = 1000;  // more are no session

json ducking_to_json(const Ducking& ducking) {
    json out = {{"on", ducking.on}, {"key_tracks", ducking.key_tracks}};
    for (std::size_t i = 0; i < kDuckSettings; ++i)
        out[info(static_cast<DuckSetting>(i)).key] = ducking.values[i];
    return out;
}

Ducking ducking_from_json(const json& entry) {
    Ducking out;
    out.on = flag(entry, "on", false);
    for (const json& key : json_reading::part(entry, "key_tracks")) {
        if (key.is_number_integer() && out.key_tracks.size() < kMostKeyTracks)
            out.key_tracks.push_back(key.get<int>());
    }
    // Sessions of form 6 and earlier had one.
    if (const int only = whole(entry, "key_track", 0); only != 0) out.key_tracks = {only};
    for (std::size_t i = 0; i < kDuckSettings; ++i) {
        const ParameterInfo& p = info(static_cast<DuckSetting>(i));
        out.values[i] = number(entry, p.key, p.lowest, p.highest, p.standard);
    }
    return out;
}

}  // namespace

json chain_to_json(const std::vector<Insert>& chain) {
    json out = json::array();
    for (const auto& p : chain) {
        const EffectInfo& about = info(p.kind);
        json entry = {{"id", p.id}, {"kind", about.key}, {"on", p.on}};
        for (std::size_t i = 0; i < about.parameters.size(); ++i)
            entry[about.parameters[i].key] = p.values[i];
        if (!p.noise_shape_db.empty()) entry["noise_shape_db"] = p.noise_shape_db;
        out.push_back(std::move(entry));
    }
    return out;
}

std::vector<Insert> chain_from_json(const json& entry) {
    std::vector<Insert> out;
    for_each(entry, [&](const json& e) {
        for (std::size_t k = 0; k < kEffectTypes; ++k) {
            const auto kind = static_cast<EffectType>(k);
            const EffectInfo& about = info(kind);
            if (text(e, "kind") != about.key) continue;
            Insert p = make_part(kind, whole(e, "id", 0));
            p.on = flag(e, "on", true);
            for (std::size_t i = 0; i < about.parameters.size(); ++i) {
                const ParameterInfo& parameter = about.parameters[i];
                p.values[i] =
                    number(e, parameter.key, parameter.lowest, parameter.highest, parameter.standard);
            }
            for (const json& db : json_reading::part(e, "noise_shape_db"))
                p.noise_shape_db.push_back(db.is_number() ? db.get<float>() : 0.0F);
            normalise(p);
            out.push_back(std::move(p));
        }
    });
    return out;
}

json timeline_to_json(const Timeline& timeline,
                      const std::function<std::string(const std::filesystem::path&)>& path) {
    json out = {{"sample_rate", timeline.sample_rate},
                {"frame_rate", {timeline.frame_rate.num, timeline.frame_rate.den}},
                {"drop_frame", timeline.drop_frame},
                {"first_timecode_frame", timeline.first_timecode_frame},
                {"edit_groups", timeline.edit_groups},
                {"loop_on", timeline.loop_on},
                {"joint_fade_ms", timeline.joint_fade_ms},
                {"edge_fade_ms", timeline.edge_fade_ms},
                {"next_id", timeline.next_id}};
    if (timeline.screen_width_deg != Timeline().screen_width_deg)
        out["screen_width_deg"] = timeline.screen_width_deg;
    if (timeline.fold_down != FoldDown()) {
        for (const auto& [key, level] : kFoldDownLevels) out["fold_down_db"][key] = timeline.fold_down.*level;
    }
    if (timeline.decoder == DecoderWeights::Basic) out["decoder"] = "basic";
    if (timeline.loop) out["loop_frames"] = {timeline.loop->first, timeline.loop->last};
    for (const auto& marker : timeline.markers)
        out["markers"].push_back({{"id", marker.id}, {"frame", marker.frame}, {"name", marker.name}});
    for (const auto& bus : timeline.buses) {
        json entry = {
            {"id", bus.id}, {"name", bus.name}, {"bus", bus.bus}, {"strip", strip_to_json(bus.strip)}};
        if (bus.layout != Layout::Stereo) entry["layout"] = key_of(bus.layout);
        out["buses"].push_back(std::move(entry));
    }
    for (const auto& cut : timeline.picture)
        out["picture"].push_back({{"id", cut.id},
                                  {"path", path(cut.path)},
                                  {"start", cut.start},
                                  {"offset", cut.offset},
                                  {"length", cut.length}});
    for (const auto& track : timeline.tracks) {
        json entry = {{"id", track.id},
                      {"name", track.name},
                      {"card", track.card},
                      {"bus", track.bus},
                      {"strip", strip_to_json(track.strip)}};
        if (track.layout != Layout::Stereo) entry["layout"] = key_of(track.layout);
        if (!(track.ducking == Ducking())) entry["ducking"] = ducking_to_json(track.ducking);
        for (const auto& clip : track.clips) {
            json c = {{"id", clip.id},
                      {"path", path(clip.path)},
                      {"feed", kClipSourceKeys[static_cast<std::size_t>(clip.clip_source)]},
                      {"start", clip.start},
                      {"offset", clip.offset},
                      {"length", clip.length}};
            if (clip.card != kTrackSettings) c["card"] = clip.card;
            if (clip.gain_db != 0) c["gain_db"] = clip.gain_db;
            if (clip.mute) c["mute"] = true;
            if (clip.room_tone) c["room_tone"] = true;
            if (clip.group != 0) c["group"] = clip.group;
            if (clip.fade_in.frames > 0) c["fade_in"] = fade_to_json(clip.fade_in);
            if (clip.fade_out.frames > 0) c["fade_out"] = fade_to_json(clip.fade_out);
            entry["clips"].push_back(std::move(c));
        }
        out["tracks"].push_back(std::move(entry));
    }
    return out;
}

Timeline timeline_from_json(const json& entry,
                            const std::function<std::filesystem::path(const std::string&)>& path) {
    Timeline out;
    if (!entry.is_object()) return out;
    out.sample_rate = whole(entry, "sample_rate", 0);
    if (std::ranges::find(kSessionRates, out.sample_rate) == kSessionRates.end()) out.sample_rate = 0;
    const json& rate = part(entry, "frame_rate");
    if (rate.is_array() && rate.size() == 2 && rate[0].is_number_integer() && rate[1].is_number_integer()) {
        const FrameRate read{rate[0].get<int>(), rate[1].get<int>()};
        if (read.num > 0 && read.den > 0 && read.per_second() >= 1 && read.per_second() <= 240)
            out.frame_rate = read;
    }
    out.drop_frame = flag(entry, "drop_frame", false) && out.frame_rate.may_drop();
    out.first_timecode_frame = frames(entry, "first_timecode_frame", 0);
    out.edit_groups = flag(entry, "edit_groups", true);
    out.loop_on = flag(entry, "loop_on", true);
    out.joint_fade_ms = number(entry, "joint_fade_ms", 0, kLongestJointFadeMs, kJointFadeMs);
    out.edge_fade_ms = number(entry, "edge_fade_ms", 0, kLongestJointFadeMs, kEdgeFadeMs);
    out.screen_width_deg =
        number(entry, "screen_width_deg", kLeastScreenDeg, kAllAroundDeg, Timeline().screen_width_deg);
    if (out.screen_width_deg > kMostScreenDeg) out.screen_width_deg = kAllAroundDeg;
    for (const auto& [key, level] : kFoldDownLevels)
        out.fold_down.*level = number(part(entry, "fold_down_db"), key, FoldDown::kNothingDb,
                                      FoldDown::kMostDb, FoldDown().*level);
    if (part(entry, "decoder") == "basic") out.decoder = DecoderWeights::Basic;
    out.next_id = std::max(1, whole(entry, "next_id", 1));
    const json& loop = part(entry, "loop_frames");
    if (loop.is_array() && loop.size() == 2 && loop[0].is_number_integer() && loop[1].is_number_integer()) {
        const LoopRange range{loop[0].get<std::int64_t>(), loop[1].get<std::int64_t>()};
        if (range.first >= 0 && range.last > range.first && range.last < kMostFrames) out.loop = range;
    }
    for_each(part(entry, "markers"), [&](const json& e) {
        out.markers.push_back({whole(e, "id", 0), frames(e, "frame"), text(e, "name")});
    });
    put_in_order(out.markers);
    for_each(part(entry, "buses"), [&](const json& e) {
        out.buses.push_back({whole(e, "id", 0), text(e, "name"), strip_from_json(part(e, "strip")),
                             whole(e, "bus", 0), layout_from_json(e)});
    });
    for_each(part(entry, "picture"), [&](const json& e) {
        out.picture.push_back({whole(e, "id", 0), path(text(e, "path")), frames(e, "start"),
                               frames(e, "offset"), frames(e, "length")});
    });
    for_each(part(entry, "tracks"), [&](const json& e) {
        Track track;
        track.id = whole(e, "id", 0);
        track.name = text(e, "name");
        track.card = std::clamp(whole(e, "card", kTunedSettings), kTunedSettings, 99);
        track.bus = whole(e, "bus", 0);
        track.layout = layout_from_json(e);
        track.strip = strip_from_json(part(e, "strip"));
        track.ducking = ducking_from_json(part(e, "ducking"));
        for_each(part(e, "clips"), [&](const json& c) {
            Clip clip;
            clip.id = whole(c, "id", 0);
            clip.path = path(text(c, "path"));
            clip.clip_source =
                static_cast<ClipSource>(place_of(kClipSourceKeys, text(c, "feed")).value_or(0));
            clip.card = std::clamp(whole(c, "card", kTrackSettings), kTrackSettings, 99);
            clip.start = frames(c, "start");
            clip.offset = frames(c, "offset");
            clip.length = frames(c, "length");
            clip.gain_db = number(c, "gain_db", kLowestGainDb, kHighestGainDb, 0);
            clip.mute = flag(c, "mute", false);
            clip.room_tone = flag(c, "room_tone", false);
            clip.group = std::max(0, whole(c, "group", 0));
            clip.fade_in = fade_from_json(part(c, "fade_in"));
            clip.fade_out = fade_from_json(part(c, "fade_out"));
            track.clips.push_back(std::move(clip));
        });
        out.tracks.push_back(std::move(track));
    });
    normalise(out);
    return out;
}

}  // namespace rivlen
