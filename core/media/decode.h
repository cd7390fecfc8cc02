// SPDX-License-Identifier: GPL-3.0-or-later
// Sound out of any file that libav* reads. Channels come in the order of the file, but sides before rears
// where a file says that it has both (7.1 and more, core/space/layout.h). Frames are samples per channel;
// audio is interleaved float32 at the file's own rate. Encoder delay and edit lists are honoured by
// libavformat, so frame 0 is the first sample meant to be heard.
#pragma once

#include <cstdint>
#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/base/audio_block.h"
#include "core/base/result.h"
#include "core/media/timecode.h"

namespace rivlen {

inline constexpr int kMinSampleRate = 8000;
inline constexpr int kMaxSampleRate = 384000;
inline constexpr int kMaxChannels = 64;

struct AudioStreamInfo {
    int index = 0;  // of the stream in its container
    std::string codec;
    int sample_rate = 0;
    int channels = 0;
    int bits_per_sample = 0;      // 0 where the codec has none
    double duration_seconds = 0;  // as declared; 0 when unknown
    double start_seconds = 0;     // against the container's clock
    std::string language, title;
};

struct PictureStreamInfo {
    int index = 0;
    std::string codec;
    int width = 0;
    int height = 0;
    int frame_rate_num = 0;  // frames per second as a fraction
    int frame_rate_den = 1;
    double duration_seconds = 0;
    double start_seconds = 0;
    std::string timecode;  // of the first frame, "hh:mm:ss:ff"; empty when the file has none
};

struct MediaInfo {
    std::string container;
    double duration_seconds = 0;
    std::uint64_t size_bytes = 0;
    std::vector<AudioStreamInfo> audio;
    std::optional<PictureStreamInfo> picture;      // the first moving picture; cover art does not count
    std::optional<double> time_reference_seconds;  // of a Broadcast WAV (EBU Tech 3285), since midnight
};
// Timecode at which a file begins, in pictures since midnight at a rate: its picture's, else its time
// reference. 0 where it says neither.
[[nodiscard]] std::int64_t start_timecode_frame(const MediaInfo& info, FrameRate rate);

// Errors: NotFound; BadInput (empty, no media file, no sound).
[[nodiscard]] Result<MediaInfo> probe(const std::filesystem::path& path,
                                      const std::atomic<bool>* stop = nullptr);

struct DecodingNotes {
    std::uint64_t damaged_packets = 0;  // skipped
    std::uint64_t format_changes = 0;   // of layout, sample format or rate in mid-stream
    std::uint64_t holes = 0;            // in the timestamps, filled with silence
    double hole_seconds = 0;
    std::uint64_t overlaps = 0;  // left out
    std::string read_error;      // why reading ended before the end of the file; empty: it did not
    // For people; empty when there is nothing to tell.
    [[nodiscard]] std::vector<std::string> sentences() const;
};

class AudioDecoder {
  public:
    // Opens an audio stream: the container's best one, or the one with the given stream index.
    // stop: gives up when it becomes true, also within a long stretch without sound; outlives the decoder.
    // Errors: as probe(), and Unsupported for a rate or channel count out of range.
    [[nodiscard]] static Result<AudioDecoder> open(const std::filesystem::path& path, int stream_index = -1,
                                                   const std::atomic<bool>* stop = nullptr);

    AudioDecoder(AudioDecoder&&) noexcept;
    AudioDecoder& operator=(AudioDecoder&&) noexcept;
    ~AudioDecoder();

    [[nodiscard]] const AudioStreamInfo& info() const;
    // Seconds between the picture's first frame and the sound's first sample (positive: sound starts later);
    // 0 without picture. Exact after the first read().
    [[nodiscard]] double start_after_picture_seconds() const;
    // The next block of interleaved samples; empty at the end. Where a stream changes its layout, format or
    // rate, it is converted to what it began with; a hole in its timestamps is silence, what overlaps is left
    // out. Errors: BadInput when nothing at all can be decoded.
    [[nodiscard]] Result<std::vector<float>> read();
    // What was worked around so far.
    [[nodiscard]] const DecodingNotes& notes() const;

  private:
    struct State;
    explicit AudioDecoder(std::unique_ptr<State> state);
    std::unique_ptr<State> state_;
};

// The whole stream at `sample_rate` (0: its own). For short files.
[[nodiscard]] Result<AudioBlock> read_audio(const std::filesystem::path& path, int sample_rate = 0,
                                            int stream_index = -1);

}  // namespace rivlen
