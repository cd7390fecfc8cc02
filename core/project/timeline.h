// SPDX-License-Identifier: GPL-3.0-or-later
// The rebuild: stems and added material as tracks of clips under a picture. Plain data; what can be done to
// it stands in editing.h. All times are frames (samples per channel) on the session line at
// Timeline::sample_rate.
#pragma once

#include <algorithm>
#include <array>
#include <cstdint>
#include <filesystem>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/effects/inserts.h"
#include "core/media/timecode.h"
#include "core/separation/audition.h"
#include "core/separation/timed.h"
#include "core/space/conversion.h"
#include "core/space/layout.h"
#include "core/space/screen.h"

namespace rivlen {

// What of a recording a clip plays.
enum class ClipSource { Whole, Kept, Dialogue, Reverb, Music, Ambience, Voices, Drums, Bass, Rest };
inline constexpr std::size_t kClipSources = 10;
inline constexpr std::array<const char*, kClipSources> kClipSourceKeys = {
    "whole", "kept", "dialogue", "reverb", "music", "ambience", "voices", "drums", "bass", "rest"};
// Of a stem or a part of the music (core/separation/music_parts.h).
[[nodiscard]] inline ClipSource clip_source_of_sound(std::size_t sound) {
    return static_cast<ClipSource>(static_cast<std::size_t>(ClipSource::Dialogue) + sound);
}
// The stem or part of the music that it plays; nothing for Whole and Kept.
[[nodiscard]] std::optional<std::size_t> sound_of_clip_source(ClipSource clip_source);
// Whether it plays a part of the music, which has to be opened for that.
[[nodiscard]] bool plays_music_part(ClipSource clip_source);

// Linear: amplitude along a straight line (sums to one with its mirror image, for a cut through one sound).
// EqualPower: quarter of a sine (powers sum to one, for a cut between different sounds). Smooth: half a
// cosine.
enum class FadeShape { Linear, EqualPower, Smooth };
inline constexpr std::array<const char*, 3> kFadeKeys = {"linear", "equal power", "smooth"};
struct Fade {
    std::int64_t frames = 0;
    FadeShape shape = FadeShape::Linear;
    bool operator==(const Fade&) const = default;
};
// Amplitude at a part of a fade-in, 0 to 1.
[[nodiscard]] double fade_gain(FadeShape shape, double part);

// Which settings shape a clip: a card (0 to kCards - 1), or one of these.
inline constexpr int kTunedSettings = -1;  // as the Separate view has tuned the recording, lines included
inline constexpr int kTrackSettings = -2;  // those that the track gives to its clips

struct Clip {
    int id = 0;  // unique in the session
    std::filesystem::path path;
    ClipSource clip_source = ClipSource::Whole;
    int card = kTrackSettings;
    std::int64_t start = 0;   // on the session line
    std::int64_t offset = 0;  // into the recording, at the session rate
    std::int64_t length = 0;
    double gain_db = 0;  // -60 to 24
    bool mute = false;
    bool room_tone = false;  // plays the recording's room tone in place of what is there (SessionItem)
    Fade fade_in, fade_out;  // none: as joints.h has it
    int group = 0;           // clips of one group are edited together; 0: none
    [[nodiscard]] std::int64_t end() const { return start + length; }
    bool operator==(const Clip&) const = default;
};

struct VideoClip {
    int id = 0;
    std::filesystem::path path;
    std::int64_t start = 0, offset = 0, length = 0;  // frames of sound, as in Clip
    [[nodiscard]] std::int64_t end() const { return start + length; }
    bool operator==(const VideoClip&) const = default;
};

// A value over time. Gain in dB, pan and width in percent (-100 left to 100 right), mute from 0.5 on; Part: a
// parameter of a part of the chain; Send: the level of a send in dB. Azimuth, elevation (degrees), spread
// (percent) and LFE (dB): of a Place.
enum class LaneTarget { Gain, Pan, Mute, Part, Width, Send, Azimuth, Elevation, Spread, Lfe };
struct StripLane {
    LaneTarget target = LaneTarget::Gain;
    int part = 0;       // id of the part, or of the bus that the send goes to
    int parameter = 0;  // index into its parameters
    std::vector<Breakpoint> points;
    [[nodiscard]] bool same_target(const StripLane& other) const {
        return target == other.target && (target != LaneTarget::Send || part == other.part) &&
               (target != LaneTarget::Part || (part == other.part && parameter == other.parameter));
    }
    bool operator==(const StripLane&) const = default;
};

inline constexpr double kLowestGainDb = -60.0;  // from here down nothing is heard
inline constexpr double kHighestGainDb = 24.0;

// How a strip's two sides are placed. Balance: each stays on its side, pan turns them against each other.
// Sides: both are placed between left and right, at pan - width and pan + width.
enum class PanLaw { Balance, Sides };

// Where a mono or stereo strip sounds from in a bus of more than two channels. A stereo strip's sides lie
// width times 30 degrees to both sides of it (100 %: as far apart as the loudspeakers of stereo).
struct Place {
    // Positive to the left (core/space/direction.h), -360 to 360, so that a line may go on around behind.
    double azimuth_deg = 0;
    double elevation_deg = 0;       // -90 to 90
    double spread_percent = 0;      // 0: a point, 100: from all around
    double lfe_db = kLowestGainDb;  // the mean of its sides also goes to the LFE, at this level; -60 to 12
    bool operator==(const Place&) const = default;
};
inline constexpr double kHighestLfeDb = 12, kMostAzimuthDeg = 360;
inline constexpr double kSideDeg = 30;

// A second way out of a track, to a bus; it is muted with the track.
struct Send {
    int bus = 0;  // id; a track has one send to a bus at most
    double level_db = 0;
    bool before_fader = false;  // behind the chain, but before ducking, gain and pan
    bool on = true;
    bool operator==(const Send&) const = default;
};

// What tracks and buses have in common. Signal flow: chain, ducking, gain and pan, mute.
struct Strip {
    double gain_db = 0;
    double pan_percent = 0, width_percent = 100;  // width: of PanLaw::Sides; below 0 the sides change places
    PanLaw pan_law = PanLaw::Balance;
    Place place;  // instead of pan, where it goes to a bus of more than two channels
    bool mute = false, solo = false, polarity_inverted = false;  // polarity_inverted: the phase is flipped
    std::vector<Insert> chain;
    std::vector<StripLane> lines;
    std::vector<Send> sends;  // of tracks only
    [[nodiscard]] const Send* send_to(int bus) const;
    // Of the chain, by its id; null where there is none.
    [[nodiscard]] const Insert* part(int id) const;
    [[nodiscard]] Insert* part(int id);
    bool operator==(const Strip&) const = default;
};

// The level of the key tracks turns this one down (ducking.h).
enum class DuckSetting { Depth, Threshold, Attack, Hold, Release, LookAhead, Hysteresis };
inline constexpr std::size_t kDuckSettings = 7;
[[nodiscard]] const ParameterInfo& info(DuckSetting setting);
struct Ducking {
    bool on = false;
    std::vector<int> key_tracks;  // ids; the loudest of them counts
    std::array<double, kDuckSettings> values;
    Ducking();
    [[nodiscard]] double value(DuckSetting s) const { return values[static_cast<std::size_t>(s)]; }
    [[nodiscard]] bool has_key(int track) const {
        return std::ranges::find(key_tracks, track) != key_tracks.end();
    }
    [[nodiscard]] bool acts() const { return on && !key_tracks.empty(); }
    bool operator==(const Ducking&) const = default;
};

struct Track {
    int id = 0;
    std::string name;
    int card = kTunedSettings;
    int bus = 0;  // id of the bus it goes to
    Strip strip;
    Layout layout = Layout::Stereo;  // its chain works on so many channels; clips are brought to it
    Ducking ducking;
    std::vector<Clip> clips;  // in order of start
    bool operator==(const Track&) const = default;
};

struct Bus {
    int id = 0;
    std::string name;
    Strip strip;
    int bus = 0;                     // id of the bus it goes to, of the main bus 0; no bus reaches itself
    Layout layout = Layout::Stereo;  // never mono
    bool operator==(const Bus&) const = default;
};

// A named place on the session's line.
struct Marker {
    int id = 0;
    std::int64_t frame = 0;
    std::string name;
    bool operator==(const Marker&) const = default;
};

inline constexpr std::array<int, 6> kSessionRates = {44100, 48000, 88200, 96000, 176400, 192000};

// Short enough that no consonant goes under, long enough that no cut is heard: common practice, no source.
inline constexpr double kJointFadeMs = 10, kEdgeFadeMs = 5, kLongestJointFadeMs = 200;

struct Timeline {
    int sample_rate = 0;  // 0 until the first clip is placed
    FrameRate frame_rate{25, 1};
    bool drop_frame = false;
    std::int64_t first_timecode_frame = 0;  // timecode at frame 0 of the session line, in picture frames
    std::vector<Track> tracks;
    std::vector<Bus> buses;  // the first is the main bus, which all others reach
    std::vector<VideoClip> picture;
    std::vector<Marker> markers;  // in order of frame, no two at one
    std::optional<LoopRange> loop;
    bool loop_on = true;
    // How wide the picture is for who listens (core/space/screen.h); 60: as far apart as the loudspeakers of
    // stereo.
    double screen_width_deg = 60;
    // How the main bus goes to other loudspeakers, heard and handed over.
    FoldDown fold_down;
    DecoderWeights decoder = DecoderWeights::MaxRe;
    bool edit_groups = true;  // an edit of a clip is an edit of its group
    // Of edges on which no fade was set (joints.h): a cross-fade where clips touch, a fade elsewhere. 0:
    // none.
    double joint_fade_ms = kJointFadeMs, edge_fade_ms = kEdgeFadeMs;
    int next_id = 1;

    [[nodiscard]] bool empty() const { return tracks.empty() && picture.empty(); }
    [[nodiscard]] std::int64_t end() const;  // of the last clip or picture cut
    [[nodiscard]] const Track* track(int id) const;
    [[nodiscard]] Track* track(int id);
    [[nodiscard]] const Clip* clip(int id) const;
    [[nodiscard]] Clip* clip(int id);
    [[nodiscard]] const Track* track_of_clip(int clip_id) const;
    [[nodiscard]] Track* track_of_clip(int clip_id);
    // Of a track or bus, and of the bus that it goes to (of the main bus: its own).
    [[nodiscard]] Layout layout_of(int id) const;
    [[nodiscard]] Layout layout_behind(int id) const;
    // A track's or a bus's strip by the id of either; null where there is none.
    [[nodiscard]] const Strip* strip(int id) const;
    [[nodiscard]] Strip* strip(int id);
    [[nodiscard]] std::string strip_name(int id) const;  // empty where there is none
    [[nodiscard]] bool has_bus(int id) const { return std::ranges::find(buses, id, &Bus::id) != buses.end(); }
    [[nodiscard]] Layout main_layout() const { return buses.empty() ? Layout::Stereo : buses.front().layout; }
    // Whether what it goes to has more channels than pan serves.
    [[nodiscard]] bool is_placed(int id) const;
    // Whether pan acts: from mono and stereo to stereo. All else is placed, or brought to what it goes to.
    [[nodiscard]] bool has_pan(int id) const;
    [[nodiscard]] ConversionSettings conversion_settings() const { return {fold_down, decoder}; }
    [[nodiscard]] int main_bus() const { return buses.empty() ? 0 : buses.front().id; }
    int new_id() { return next_id++; }
    bool operator==(const Timeline&) const = default;
};

// What the fades of a clip leave of it, 0 to 1, at a frame counted from its start.
[[nodiscard]] double clip_fade_gain(const Clip& clip, double frame);

// The line of a target; null where there is none.
[[nodiscard]] const StripLane* find_lane(const Strip& strip, const StripLane& target);
// Its points; none where it has no line.
[[nodiscard]] std::span<const Breakpoint> points_of(const Strip& strip, const StripLane& target);
void put_point(Strip& strip, const StripLane& target, Breakpoint point);
// The same for all points of a line at once, in any order; they replace those that are there.
void set_points(Strip& strip, const StripLane& target, std::vector<Breakpoint> points);
void erase_points(Strip& strip, const StripLane& target, std::int64_t first, std::int64_t last);
// Value of a strip's gain, pan or part at a frame: its line's, or its own where it has none.
[[nodiscard]] double value_at(const Strip& strip, const StripLane& target, std::int64_t frame);
// Sets the value for all times, which a line overrides.
void set_base_value(Strip& strip, const StripLane& target, double value);
// What a line moves.
struct ValueRange {
    double lowest = 0, highest = 1, standard = 0;
    const char* unit = "";
};
[[nodiscard]] ValueRange range_of(const Strip& strip, const StripLane& target);

}  // namespace rivlen
