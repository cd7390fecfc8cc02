// SPDX-License-Identifier: GPL-3.0-or-later
// Writes the file of a put-back: all that is copied, and the new sounds. Used by layback.cpp only.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "core/base/job.h"
#include "core/media/layback.h"
#include "core/media/libav.h"
#include "core/media/sound_encoder.h"
#include "core/media/sound_under_picture.h"

namespace rivlen {

class LaybackWriter {
  public:
    LaybackWriter(const LaybackPlan& plan, AVCodecID sound_codec, const JobControl& job)
        : plan_(plan), sound_codec_(sound_codec), job_(job) {}
    // Into a file whose ending tells the container. Errors: those of lay_back().
    Status write(std::vector<SoundUnderPicture>& sounds, const std::filesystem::path& partial);
    // What the container could not take.
    [[nodiscard]] const std::vector<std::string>& warnings() const { return warnings_; }

  private:
    // A new sound on its way into the file.
    struct SoundTrack {
        libav::SoundEncoder encoder;
        int sample_rate;
        AVStream* stream;
        std::int64_t start_samples = 0;
        bool more = true;
        double seconds = -1e9;  // up to which it is written
    };
    AVStream* copy_stream(int from);
    [[nodiscard]] std::int64_t silent_lead(const AVCodecContext& codec, std::int64_t start_samples) const;
    Status add_sound(std::size_t number, SoundUnderPicture& sound);
    void add_others();
    [[nodiscard]] bool takes(const AVStream& stream) const;
    void name_timecode();
    void copy_chapters();
    Status copy_packets();
    Status write_sounds_until(double seconds);
    [[nodiscard]] Error refused(int code) const;

    const LaybackPlan& plan_;
    AVCodecID sound_codec_;
    const JobControl& job_;
    libav::Input input_;
    libav::Muxer muxer_;
    int picture_ = -1;
    double total_seconds_ = 0;
    std::vector<AVStream*> targets_;  // by stream of the input; null: left out
    std::vector<SoundTrack> tracks_;
    libav::Packet sound_packet_{av_packet_alloc()};
    std::vector<std::string> warnings_;
};

}  // namespace rivlen
