// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/media/layback.h"

#include <algorithm>
#include <cmath>
#include <deque>
#include <vector>

#include "core/base/hash.h"
#include "core/base/output_file.h"
#include "core/media/decode.h"
#include "core/media/libav.h"
#include "core/media/sound_encoder.h"

namespace rivlen {

namespace {

namespace fs = std::filesystem;

struct OutputCloser {
    void operator()(AVFormatContext* context) const {
        if (context->pb != nullptr) avio_closep(&context->pb);
        avformat_free_context(context);
    }
};
using Muxer = std::unique_ptr<AVFormatContext, OutputCloser>;

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

// AAC needs more bits where there are more channels to share them.
std::int64_t bit_rate_for(AVCodecID id, const AudioBuffer& audio) {
    if (id != AV_CODEC_ID_AAC) return 0;
    return audio.channels.size() > 1 ? 320000 : 192000;
}

libav::SoundToCode as_read(const AudioBuffer& audio) {
    const auto read = [&audio](std::int64_t at, std::int64_t count, std::vector<std::vector<float>>& out) {
        out.resize(audio.channels.size());
        for (std::size_t c = 0; c < out.size(); ++c)
            out[c].assign(audio.channels[c].begin() + at, audio.channels[c].begin() + at + count);
        return Status();
    };
    return {audio.sample_rate, static_cast<int>(audio.channels.size()),
            static_cast<std::int64_t>(audio.frames()), read};
}

// Hash over the bytes and number of a file's picture packets.
Result<std::pair<std::string, std::uint64_t>> picture_digest(const fs::path& path) {
    auto input = libav::open_input(path);
    if (!input) return input.error();
    const int index = libav::picture_stream(**input);
    if (index < 0)
        return make_error(ErrorKind::BadInput, "\"{}\" has no picture in it. Choose a file with a picture.",
                          path.string());
    const libav::Packet packet(av_packet_alloc());
    Hasher hasher;
    std::uint64_t count = 0;
    while (av_read_frame(input->get(), packet.get()) >= 0) {
        if (packet->stream_index == index) {
            hasher.add(std::as_bytes(std::span(packet->data, static_cast<std::size_t>(packet->size))));
            ++count;
        }
        av_packet_unref(packet.get());
    }
    return std::pair{hasher.hex(), count};
}

// The sound of a file, laid under its picture: leading silence added, what precedes the picture dropped.
Result<AudioBuffer> sound_under_picture(const fs::path& path, int stream_index) {
    auto buffer = read_audio(path, 0, stream_index);
    if (!buffer) return buffer.error();
    const auto lead =
        static_cast<std::ptrdiff_t>(std::llround(buffer->start_after_picture_seconds * buffer->sample_rate));
    for (auto& channel : buffer->channels) {
        if (lead > 0) channel.insert(channel.begin(), static_cast<std::size_t>(lead), 0.0F);
        if (lead < 0)
            channel.erase(channel.begin(),
                          channel.begin() + std::min<std::ptrdiff_t>(-lead, std::ssize(channel)));
    }
    return buffer;
}

// Offset in samples at which `decoded` fits `given` best, searched around 0 on the loudest stretch.
std::int64_t best_offset(const std::vector<float>& given, const std::vector<float>& decoded) {
    constexpr std::ptrdiff_t kReach = 4096;
    const auto length = std::min<std::ptrdiff_t>(std::ssize(given), 65536);
    std::ptrdiff_t start = 0;
    double loudest = -1.0;
    for (std::ptrdiff_t at = 0; at + length <= std::ssize(given); at += length) {
        double energy = 0.0;
        for (std::ptrdiff_t i = at; i < at + length; ++i) {
            const auto x = static_cast<double>(given[static_cast<std::size_t>(i)]);
            energy += x * x;
        }
        if (energy > loudest) {
            loudest = energy;
            start = at;
        }
    }
    if (loudest <= 0.0) return 0;
    double best = 1e300;
    std::int64_t best_at = 0;
    // Nearest offsets first, so that a periodic sound is not taken for a shifted one.
    for (std::ptrdiff_t step = 0; step <= 2 * kReach; ++step) {
        const std::ptrdiff_t offset = (step % 2 == 0 ? 1 : -1) * ((step + 1) / 2);
        double error = 0.0;
        for (std::ptrdiff_t i = 0; i < length && error < best; i += 3) {
            const std::ptrdiff_t at = start + i + offset;
            const double y = at >= 0 && at < std::ssize(decoded)
                                 ? static_cast<double>(decoded[static_cast<std::size_t>(at)])
                                 : 0.0;
            const double d = y - static_cast<double>(given[static_cast<std::size_t>(start + i)]);
            error += d * d;
        }
        if (error < best * 0.999) {
            best = error;
            best_at = offset;
        }
    }
    return best_at;
}

double difference_db(const AudioBuffer& given, const AudioBuffer& decoded) {
    double wanted = 0.0;
    double wrong = 0.0;
    for (std::size_t c = 0; c < given.channels.size(); ++c) {
        for (std::size_t i = 0; i < given.frames(); ++i) {
            const auto x = static_cast<double>(given.channels[c][i]);
            const double y = i < decoded.frames() ? static_cast<double>(decoded.channels[c][i]) : 0.0;
            wanted += x * x;
            wrong += (y - x) * (y - x);
        }
    }
    if (wrong <= 0.0) return -200.0;
    return 10.0 * std::log10(wrong / std::max(wanted, 1e-20));
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

Status write_file(const LaybackPlan& plan, AVCodecID id, const std::vector<AudioBuffer>& sounds,
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
    const Muxer muxer(raw);

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
        const AudioBuffer& audio = sounds[i];
        const LaybackSound& given = plan.sounds[i];
        auto codec = libav::open_sound_encoder(id, audio.sample_rate, static_cast<int>(audio.channels.size()),
                                               bit_rate_for(id, audio),
                                               (raw->oformat->flags & AVFMT_GLOBALHEADER) != 0);
        if (!codec) return codec.error();
        AVStream* stream = avformat_new_stream(raw, nullptr);
        avcodec_parameters_from_context(stream->codecpar, codec->get());
        stream->time_base = {1, audio.sample_rate};
        stream->disposition = i == 0 ? AV_DISPOSITION_DEFAULT : 0;
        av_dict_set(&stream->metadata, "title", given.title.c_str(), 0);
        if (!given.language.empty()) av_dict_set(&stream->metadata, "language", given.language.c_str(), 0);
        av_dict_set(&stream->metadata, "handler_name", given.title.c_str(), 0);
        tracks.push_back({libav::SoundEncoder(std::move(*codec), as_read(audio)), audio.sample_rate, stream,
                          static_cast<std::int64_t>(std::llround(sound_start * audio.sample_rate))});
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
    const double total = std::max(0.001, static_cast<double>(sounds[0].frames()) / sounds[0].sample_rate);
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

}  // namespace

bool can_lay_back_into(const std::string& ending) {
    return codec_for(ending) != AV_CODEC_ID_NONE;
}

std::string layback_ending(const fs::path& picture) {
    const std::string own = picture.extension().string();
    return can_lay_back_into(own) ? own : ".mov";
}

Result<LaybackReport> lay_back(const LaybackPlan& plan, const JobControl& job) {
    std::error_code error;
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
    if (fs::equivalent(plan.out, plan.picture, error) ||
        std::ranges::any_of(plan.sounds, [&](const LaybackSound& sound) {
            return fs::equivalent(plan.out, sound.audio, error);
        })) {
        return make_error(ErrorKind::BadInput,
                          "\"{}\" is one of the inputs, which are never written to. Choose another name.",
                          plan.out.string());
    }
    if (!plan.overwrite && fs::exists(plan.out, error)) {
        return make_error(ErrorKind::Io, "\"{}\" is there already. Choose another name, or allow replacing.",
                          plan.out.string());
    }
    auto before = picture_digest(plan.picture);
    if (!before) return before.error();
    std::vector<AudioBuffer> sounds;
    for (const auto& sound : plan.sounds) {
        auto audio = read_audio(sound.audio);
        if (!audio) return audio.error();
        sounds.push_back(std::move(*audio));
    }

    const fs::path partial = partial_path(plan.out);
    Removal removal{partial};
    LaybackReport report;
    report.codec = avcodec_get_name(id);
    if (auto status = write_file(plan, id, sounds, partial, job); !status) return status.error();

    auto after = picture_digest(partial);
    if (!after) return after.error();
    report.picture_identical = *before == *after;
    report.picture_packets = after->second;
    const auto written = probe(partial);
    if (!written) return written.error();
    for (std::size_t i = 0; i < sounds.size() && i < written->audio.size(); ++i) {
        const auto decoded = sound_under_picture(partial, written->audio[i].index);
        if (!decoded) return decoded.error();
        const auto offset = best_offset(sounds[i].channels[0], decoded->channels[0]);
        if (report.offset_samples == 0) report.offset_samples = offset;
        report.difference_db = std::max(report.difference_db, difference_db(sounds[i], *decoded));
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
