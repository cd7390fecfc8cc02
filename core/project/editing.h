// SPDX-License-Identifier: GPL-3.0-or-later
// What can be done to a rebuild. Every function leaves it well-formed (see well_formed) and touches no file:
// undo is a copy of the data. Clips are named by id; where Timeline::edit_groups is on, an edit of a clip is
// an edit of all clips of its group. Picture cuts are edited by themselves: nothing that removes sound
// removes picture, or the reverse; only closing a gap in time moves both.
#pragma once

#include <cstdint>
#include <filesystem>
#include <functional>
#include <optional>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "core/media/decode.h"
#include "core/project/timeline.h"

namespace rivlen {

// Length of a file's sound (or picture) in frames at the session rate; 0 when it is not known.
using MediaLength = std::function<std::int64_t(const std::filesystem::path&)>;

// Clips in order, none empty or before frame 0, fades no longer than their clip, ids unique, buses there.
// Tests hold every edit to it; sessions that were read are brought into it by normalise().
[[nodiscard]] bool well_formed(const Timeline& timeline);
void normalise(Timeline& timeline);

// The clips and the other clips of their groups, if groups are edited together.
[[nodiscard]] std::vector<int> with_groups(const Timeline& timeline, std::span<const int> clips);

// ---- bringing things in
struct Placement {
    std::filesystem::path path;
    std::int64_t at = 0;      // frame on the session line
    std::int64_t length = 0;  // of the recording, at the session rate
    bool grouped = true;
    bool picture = false;  // with its picture on the picture track
    std::string name;      // put before the stems' names when not empty
};
// All stems of a split recording on tracks of their own, aligned. Tracks that carry the same stem are used
// again. Makes the main bus when there is none. Returns the ids of the clips, in the order of the stems.
std::vector<int> place_stems(Timeline& timeline, const Placement& placement);
// A file, or one stem of a recording, on a track (0: a new one). Returns the clip's id.
int place_clip(Timeline& timeline, const Placement& placement, ClipSource clip_source, int track_id);
// Puts the four parts in place of clips that play the music (others are left alone), each on a track of its
// own that is set as theirs is. They are as long and as loud as the clip was, and edited together. Returns
// the new clips. A part that changes loud and soft otherwise, as a compressor does, then works on each part.
std::vector<int> open_music_clips(Timeline& timeline, std::span<const int> clips);
int add_track(Timeline& timeline, const std::string& name);
// A track's clips go with it; other tracks that it ducked are no longer ducked.
void remove_track(Timeline& timeline, int track_id);
void move_track(Timeline& timeline, int track_id, int by);
// In the main bus's layout.
int add_bus(Timeline& timeline, const std::string& name);
// Of a track or bus; of the main bus also of those buses that had its layout. A bus does not become mono.
void set_layout(Timeline& timeline, int strip_id, Layout layout);
// Whether a bus may go to another one: not the main bus, and no bus that comes back to itself.
[[nodiscard]] bool may_go_to(const Timeline& timeline, int bus_id, int to_bus);
// Does nothing where it may not.
void route_bus(Timeline& timeline, int bus_id, int to_bus);
// At 0 dB, behind the fader; nothing where the track has one to this bus.
void add_send(Timeline& timeline, int track_id, int bus_id);
void remove_send(Strip& strip, int bus_id);
// What came to it goes where it went, sends to it are gone; the main bus stays.
void remove_bus(Timeline& timeline, int bus_id);

// Rate, picture rate and timecode of the first recording that is placed; does nothing once there is a rate.
void adopt_recording(Timeline& timeline, int sample_rate, const std::optional<PictureStreamInfo>& picture);

// ---- cutting and moving
// Cuts clips at a frame; what lies behind gets groups of its own. Clips that do not sound there are left
// alone.
void split_clips(Timeline& timeline, std::span<const int> clips, std::int64_t frame);
// All clips of these tracks that sound at a frame, or all tracks when empty.
void split_tracks(Timeline& timeline, std::span<const int> tracks, std::int64_t frame);
// Moves an edge by a number of frames, as far as there is material; keeps at least one frame.
void trim_start(Timeline& timeline, int clip, std::int64_t by);
void trim_end(Timeline& timeline, int clip, std::int64_t by, const MediaLength& length);
// Moves what is heard inside the clip, which stays where it is.
void slip(Timeline& timeline, int clip, std::int64_t by, const MediaLength& length);
// Moves clips in time, and by a number of tracks when they are all of one group or alone. What they land on
// is cut away there. Returns how far they went in time (not before frame 0).
std::int64_t move_clips(Timeline& timeline, std::span<const int> clips, std::int64_t by, int track_steps = 0);
// The gap that they leave stays, or closes: then everything later on the same tracks moves up, lines too.
void delete_clips(Timeline& timeline, std::span<const int> clips, bool close_gap);
// Copies behind each other: the first copy begins at `at`. Returns the new ids.
std::vector<int> copy_clips(Timeline& timeline, std::span<const int> clips, std::int64_t at);
// Takes a range of time out of tracks (all when empty) and, if wanted, out of the picture; what is later
// moves up.
void cut_time(Timeline& timeline, std::span<const LoopRange> ranges, std::span<const int> tracks,
              bool picture);
// Whether pauses of a recording are known whose sound can take the place of others.
using HasRoomTone = std::function<bool(const std::filesystem::path&)>;
// Mutes what clips of these tracks (all when empty) play in ranges. Where a clip has the place's sound (the
// whole, what is kept, the ambience) and its room tone is known, that is left instead of silence.
void mute_ranges(Timeline& timeline, std::span<const LoopRange> ranges, std::span<const int> tracks,
                 const HasRoomTone& has_room_tone = {});
// True of what holds the sound of the place.
[[nodiscard]] bool holds_room_tone(ClipSource clip_source);
// Where nothing of a track sounds within a range, the room tone of what stands before it (or behind it)
// there: same recording, source, settings and gain. Returns the new clips; none where there is nothing to
// take it from or no gap.
std::vector<int> lay_room_tone(Timeline& timeline, int track, const LoopRange& range,
                               const HasRoomTone& has_room_tone);
// Room tone in place of what they play, for all when one of them plays something else, or what they play.
void toggle_room_tone(Timeline& timeline, std::span<const int> clips);
void ungroup(Timeline& timeline, std::span<const int> clips);
void group(Timeline& timeline, std::span<const int> clips);

// True when the later of two clips that touch goes on in the sound in which the earlier ends.
[[nodiscard]] bool same_sound_goes_on(const Clip& earlier, const Clip& later);

// ---- levels of clips
void set_fade(Timeline& timeline, int clip, bool in, Fade fade);
// Lets two clips that touch overlap by `frames` (as far as there is material) and fades from one to the
// other. False when they do not touch or no material is left.
bool cross_fade(Timeline& timeline, int earlier, int later, std::int64_t frames, FadeShape shape,
                const MediaLength& length);
// The same from each of these clips, and those of their groups, to the one that follows it, over 50 ms: with
// straight fades where both play one sound on, which sums to it again, else with fades of equal power. False
// when none could.
bool cross_fade_to_next(Timeline& timeline, std::span<const int> clips, const MediaLength& length);
// Mutes them all when one of them sounds, else lets them all sound.
void toggle_mute(Timeline& timeline, std::span<const int> clips);
// Puts a part at a place in its chain, 0 the first; beyond the ends it goes to them.
void move_part(Strip& strip, int part, int place);
// Takes a part out of a chain, with its lines.
void remove_part(Strip& strip, int part);
// Parts in place of the chain of a track or bus, with ids of their own; lines of the old ones go.
void take_chain(Timeline& timeline, int strip, const std::vector<Insert>& parts);
// What of their recordings they play.
void set_clip_source(Timeline& timeline, std::span<const int> clips, ClipSource plays);
void set_clip_gain(Timeline& timeline, std::span<const int> clips, double gain_db);

// Puts other music where a clip is: as long as it at most, with its fades (at least `least_fade` frames
// each), on its track. The old clip stays, muted, on a track below. gain_db: what aligns the loudness.
// Returns the new clip's id; 0 when the clip is not there.
int replace_clip(Timeline& timeline, int clip, const Placement& with, double gain_db,
                 std::int64_t least_fade);

// ---- picture
void split_picture(Timeline& timeline, std::int64_t frame);
void delete_picture(Timeline& timeline, int cut, bool close_gap);
// The cut that is seen at a frame; null where there is none.
[[nodiscard]] const VideoClip* picture_at(const Timeline& timeline, std::int64_t frame);

// ---- snapping
// Edges of clips and picture cuts, the loop's ends and frame 0, but not of the clips that are being moved.
[[nodiscard]] std::vector<std::int64_t> snap_points(const Timeline& timeline, std::span<const int> moving);
// The nearest point within `reach` frames, or nothing.
[[nodiscard]] std::optional<std::int64_t> snapped(std::span<const std::int64_t> points, std::int64_t frame,
                                                  std::int64_t reach);
// The nearest beginning of a picture frame.
[[nodiscard]] std::int64_t on_picture_frame(const Timeline& timeline, std::int64_t frame);
// Number of the picture frame that is shown at a frame of sound, and the first sound frame of a picture
// frame.
[[nodiscard]] std::int64_t picture_frame_of(const Timeline& timeline, std::int64_t frame);
// Timecode of that picture frame, on the session's line.
[[nodiscard]] std::string timecode_at(const Timeline& timeline, std::int64_t frame);
[[nodiscard]] std::int64_t frame_of_picture(const Timeline& timeline, std::int64_t picture_frame);

}  // namespace rivlen
