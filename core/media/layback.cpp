// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/media/layback.h"

#include <algorithm>
#include <cmath>
#include <vector>

#include "core/base/hash.h"
#include "core/base/output_file.h"
#include "core/media/decode.h"
#include "core/media/libav.h"
#include "core/media/sound_comparison.h"
#include "core/media/sound_encoder.h"
#include "core/media/sound_under_picture.h"

namespace rivlen {

namespace {

namespace fs = std::filesystem;

// AAC needs more bits where there are more channels to share them.
std::int64_t bit_rate_for(AVCodecID id, int channels) {
    if (id != AV_CODEC_ID_AAC) return 0;
    return channels > 1 ? 320000 : 192000;
}

struct Removal {  // of the partial file, unless everything went well
    fs::path path;
    ~Removal() {
        std::error_code ignored;
        if (!path.empty()) fs::remove(path, ignored);
    }
};

Error refused(const fs::path& out, int code) {
    if (code == AVERROR(ENOSPC)) return write_error(out, ENOSPC);
    return make_error(ErrorKind::Io, "\"{}\" cannot be written ({}). Choose another container or folder.",
                      out.string(), libav::error_text(code));
}

AVCodecID codec_for(std::string extension) {
    std::ranges::transform(extension, extension.begin(),
                           [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    if (extension == ".mov") return AV_CODEC_ID_PCM_S24LE;
    if (extension == ".mkv") return AV_CODEC_ID_FLAC;
    if (extension == ".mp4" || extension == ".m4v") return AV_CODEC_ID_AAC;
    return AV_CODEC_ID_NONE;
}

// A picture whose packets do not come to their end would be passed on as if it were whole.
Error damaged_picture(const fs::path& path, double seconds, const std::string& why) {
    const auto whole = static_cast<long>(seconds);
    return make_error(
        ErrorKind::BadInput,
        "The picture of \"{}\" is damaged at {:02d}:{:02d}:{:02d} after its start ({}). Copy the file again.",
        path.string(), whole / 3600, whole / 60 % 60, whole % 60, why);
}

struct PictureDigest {
    std::string hash;  // over the bytes of the picture's packets
    std::uint64_t packets = 0;
    bool operator==(const PictureDigest&) const = default;
};

// Errors: BadInput (no picture, or one that is damaged or cut short).
Result<PictureDigest> picture_digest(const fs::path& path) {
    auto input = libav::open_input(path);
    if (!input) return input.error();
    const int index = libav::picture_stream(**input);
    if (index < 0)
        return make_error(ErrorKind::BadInput, "\"{}\" has no picture in it. Choose a file with a picture.",
                          path.string());
    const AVStream& stream = *(*input)->streams[index];
    const double first = libav::start_seconds(stream);
    const libav::Packet packet(av_packet_alloc());
    Hasher hasher;
    PictureDigest digest;
    double end = 0.0;
    int code = 0;
    while ((code = av_read_frame(input->get(), packet.get())) >= 0) {
        if (packet->stream_index == index) {
            if ((packet->flags & AV_PKT_FLAG_CORRUPT) != 0) {
                av_packet_unref(packet.get());
                return damaged_picture(path, end, "a picture is cut");
            }
            hasher.add(std::as_bytes(std::span(packet->data, static_cast<std::size_t>(packet->size))));
            ++digest.packets;
            if (packet->pts != AV_NOPTS_VALUE)
                end = std::max(
                    end,
                    static_cast<double>(packet->pts + packet->duration) * av_q2d(stream.time_base) - first);
        }
        av_packet_unref(packet.get());
    }
    if (code != AVERROR_EOF) return damaged_picture(path, end, libav::error_text(code));
    if (stream.nb_frames > 0 && digest.packets < static_cast<std::uint64_t>(stream.nb_frames))
        return damaged_picture(path, end,
                               fmt::format("{} of {} pictures are there", digest.packets, stream.nb_frames));
    const double declared = stream.duration != AV_NOPTS_VALUE
                                ? static_cast<double>(stream.duration) * av_q2d(stream.time_base)
                                : static_cast<double>((*input)->duration) / AV_TIME_BASE;
    constexpr double kMissing = 1.0;  // a sound that is longer makes the file so much longer at times
    if (stream.duration != AV_NOPTS_VALUE && end > 0 && end < declared - kMissing)
        return damaged_picture(path, end, fmt::format("it says that it goes on to {:.0f} s", declared));
    digest.hash = hasher.hex();
    return digest;
}

// A new sound on its way into the file.
struct SoundTrack {
    libav::SoundEncoder encoder;
    int sample_rate;
    AVStream* stream;
    std::int64_t start_samples = 0;
    bool more = true;
    double seconds = -1e9;  // up to which it is written
};

Status write_file(const LaybackPlan& plan, AVCodecID id, std::vector<SoundUnderPicture>& sounds,
                  const fs::path& partial, const JobControl& job) {
    auto opened = libav::open_input(plan.picture);
    if (!opened) return opened.error();
    AVFormatContext& input = **opened;
    const int picture = libav::picture_stream(input);
    if (picture < 0) {
        return make_error(ErrorKind::BadInput, "\"{}\" has no picture in it. Choose a file with a picture.",
                          plan.picture.string());
    }
    const int old_sound =
        plan.keep_original_sound ? av_find_best_stream(&input, AVMEDIA_TYPE_AUDIO, -1, -1, nullptr, 0) : -1;

    AVFormatContext* raw = nullptr;
    avformat_alloc_output_context2(&raw, nullptr, nullptr, partial.c_str());
    if (raw == nullptr)
        return make_error(ErrorKind::Unsupported, "Choose a name that ends in .mov, .mp4 or .mkv.");
    const libav::Muxer muxer(raw);

    const auto copy_stream = [&](int from) {
        AVStream* stream = avformat_new_stream(raw, nullptr);
        const AVStream& old = *input.streams[from];
        avcodec_parameters_copy(stream->codecpar, old.codecpar);
        stream->codecpar->codec_tag = 0;
        stream->time_base = old.time_base;
        stream->avg_frame_rate = old.avg_frame_rate;
        stream->sample_aspect_ratio = old.sample_aspect_ratio;
        stream->disposition = old.disposition;
        av_dict_copy(&stream->metadata, old.metadata, 0);
        // Rotation and the like travel as side data.
        for (int i = 0; i < old.nb_side_data; ++i) {
            std::uint8_t* copy =
                av_stream_new_side_data(stream, old.side_data[i].type, old.side_data[i].size);
            if (copy != nullptr) std::copy_n(old.side_data[i].data, old.side_data[i].size, copy);
        }
        return stream;
    };
    av_dict_copy(&raw->metadata, input.metadata, 0);
    AVStream* picture_out = copy_stream(picture);
    // The new sounds are timed from the picture's first frame on, wherever the container's clock puts that.
    const double sound_start = libav::start_seconds(*input.streams[picture]);
    std::vector<SoundTrack> tracks;
    for (std::size_t i = 0; i < sounds.size(); ++i) {
        SoundUnderPicture& sound = sounds[i];
        const int sample_rate = sound.info().sample_rate;
        const LaybackSound& given = plan.sounds[i];
        auto codec = libav::open_sound_encoder(id, sample_rate, sound.info().channels,
                                               bit_rate_for(id, sound.info().channels),
                                               (raw->oformat->flags & AVFMT_GLOBALHEADER) != 0);
        if (!codec) return codec.error();
        AVStream* stream = avformat_new_stream(raw, nullptr);
        avcodec_parameters_from_context(stream->codecpar, codec->get());
        stream->time_base = {1, sample_rate};
        stream->disposition = i == 0 ? AV_DISPOSITION_DEFAULT : 0;
        av_dict_set(&stream->metadata, "title", given.title.c_str(), 0);
        if (!given.language.empty()) av_dict_set(&stream->metadata, "language", given.language.c_str(), 0);
        av_dict_set(&stream->metadata, "handler_name", given.title.c_str(), 0);
        const auto next = [&sound](std::int64_t count, AudioBlock& out) { return sound.next(count, out); };
        tracks.push_back({libav::SoundEncoder(std::move(*codec), next), sample_rate, stream,
                          static_cast<std::int64_t>(std::llround(sound_start * sample_rate))});
    }
    AVStream* old_out = nullptr;
    if (old_sound >= 0) {
        old_out = copy_stream(old_sound);
        old_out->disposition = 0;
        av_dict_set(&old_out->metadata, "title", "Original", 0);
    }
    // A start timecode kept only on a data track (as MOV does) must be named on the picture to be written
    // again.
    for (unsigned i = 0; i < input.nb_streams; ++i) {
        const AVDictionaryEntry* timecode = av_dict_get(input.streams[i]->metadata, "timecode", nullptr, 0);
        if (timecode != nullptr) av_dict_set(&picture_out->metadata, "timecode", timecode->value, 0);
    }
    if (const int code = avio_open(&raw->pb, ("file:" + partial.string()).c_str(), AVIO_FLAG_WRITE); code < 0)
        return refused(plan.out, code);
    if (const int code = avformat_write_header(raw, nullptr); code < 0) return refused(plan.out, code);

    const libav::Packet packet(av_packet_alloc());
    const libav::Packet sound(av_packet_alloc());
    const auto write_sound_until = [&](double seconds) -> Status {
        for (auto& track : tracks) {
            while (track.more && track.seconds < seconds) {
                auto got = track.encoder.next(*sound);
                if (!got) return got.error();
                track.more = *got;
                if (!track.more) break;
                sound->pts += track.start_samples;
                sound->dts += track.start_samples;
                track.seconds = static_cast<double>(sound->dts) / track.sample_rate;
                av_packet_rescale_ts(sound.get(), {1, track.sample_rate}, track.stream->time_base);
                sound->stream_index = track.stream->index;
                if (const int code = av_interleaved_write_frame(raw, sound.get()); code < 0)
                    return refused(plan.out, code);
            }
        }
        return {};
    };
    const double total = std::max(0.001, sounds[0].info().duration_seconds);
    while (av_read_frame(&input, packet.get()) >= 0) {
        if (job.cancelled()) return JobControl::cancelled_error();
        AVStream* target = packet->stream_index == picture     ? picture_out
                           : packet->stream_index == old_sound ? old_out
                                                               : nullptr;
        if (target != nullptr) {
            const AVRational base = input.streams[packet->stream_index]->time_base;
            const std::int64_t when = packet->dts != AV_NOPTS_VALUE ? packet->dts : packet->pts;
            const double seconds =
                when != AV_NOPTS_VALUE ? static_cast<double>(when) * av_q2d(base) : tracks[0].seconds;
            if (auto status = write_sound_until(seconds); !status) return status;
            job.report(0.8 * std::clamp(seconds / total, 0.0, 1.0));
            av_packet_rescale_ts(packet.get(), base, target->time_base);
            packet->stream_index = target->index;
            packet->pos = -1;
            if (const int code = av_interleaved_write_frame(raw, packet.get()); code < 0)
                return refused(plan.out, code);
        }
        av_packet_unref(packet.get());
    }
    if (auto status = write_sound_until(1e18); !status) return status;
    if (const int code = av_write_trailer(raw); code < 0) return refused(plan.out, code);
    if (const int code = avio_closep(&raw->pb); code < 0) return refused(plan.out, code);
    return {};
}

// From their own pictures' first frames on, where they have such.
Result<std::vector<SoundUnderPicture>> open_sounds(const LaybackPlan& plan) {
    std::vector<SoundUnderPicture> sounds;
    for (const auto& sound : plan.sounds) {
        auto opened = SoundUnderPicture::open(sound.audio);
        if (!opened) return opened.error();
        sounds.push_back(std::move(*opened));
    }
    return sounds;
}

}  // namespace

bool can_lay_back_into(const std::string& ending) {
    return codec_for(ending) != AV_CODEC_ID_NONE;
}

std::string layback_ending(const fs::path& picture) {
    const std::string own = picture.extension().string();
    return can_lay_back_into(own) ? own : ".mov";
}

Result<LaybackReport> lay_back(const LaybackPlan& plan, const JobControl& job) {
    const AVCodecID id = codec_for(plan.out.extension().string());
    if (id == AV_CODEC_ID_NONE) {
        return make_error(
            ErrorKind::BadInput,
            "\"{}\" is no container that can be written. Choose a name that ends in .mov, .mp4 or .mkv.",
            plan.out.string());
    }
    if (plan.sounds.empty())
        return make_error(ErrorKind::BadInput, "There is no sound to put under \"{}\". Name one.",
                          plan.picture.string());
    std::vector<fs::path> inputs = {plan.picture};
    for (const auto& sound : plan.sounds) inputs.push_back(sound.audio);
    if (auto free = may_write(plan.out, plan.overwrite, inputs); !free) return free.error();
    auto before = picture_digest(plan.picture);
    if (!before) return before.error();
    auto sounds = open_sounds(plan);
    if (!sounds) return sounds.error();

    const fs::path partial = partial_path(plan.out);
    Removal removal{partial};
    LaybackReport report;
    report.codec = avcodec_get_name(id);
    if (auto status = write_file(plan, id, *sounds, partial, job); !status) return status.error();

    auto after = picture_digest(partial);
    if (!after) return after.error();
    report.picture_identical = *before == *after;
    report.picture_packets = after->packets;
    const auto written = probe(partial);
    if (!written) return written.error();
    for (const auto& sound : *sounds)
        std::ranges::move(sound.warnings(), std::back_inserter(report.warnings));
    auto given = open_sounds(plan);
    if (!given) return given.error();
    for (std::size_t i = 0; i < given->size() && i < written->audio.size(); ++i) {
        auto decoded = SoundUnderPicture::open(partial, written->audio[i].index);
        if (!decoded) return decoded.error();
        const auto found = compare((*given)[i], *decoded, job);
        if (!found) return found.error();
        if (report.offset_samples == 0) report.offset_samples = found->offset_samples;
        report.difference_db = std::max(report.difference_db, found->difference_db);
    }
    job.report(1.0);
    if (!report.picture_identical || report.offset_samples != 0) {
        return make_error(ErrorKind::Internal,
                          "The check of the written file failed (picture {}, sound {} samples off); it was "
                          "removed. Choose another "
                          "container.",
                          report.picture_identical ? "identical" : "changed", report.offset_samples);
    }
    if (auto status = publish(partial, plan.out); !status) return status.error();
    removal.path.clear();
    return report;
}

}  // namespace rivlen
