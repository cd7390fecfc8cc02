// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/media/layback.h"

#include <algorithm>
#include <cmath>
#include <vector>

#include "core/base/hash.h"
#include "core/base/output_file.h"
#include "core/media/decode.h"
#include "core/media/layback_writer.h"
#include "core/media/libav.h"
#include "core/media/sound_comparison.h"
#include "core/media/sound_under_picture.h"

namespace rivlen {

namespace {

namespace fs = std::filesystem;

struct Removal {  // of the partial file, unless everything went well
    fs::path path;
    ~Removal() {
        std::error_code ignored;
        if (!path.empty()) fs::remove(path, ignored);
    }
};

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
    std::vector<double> shown;  // seconds of each behind the first one shown, in order of the packets
    double tick = 0;            // seconds
};

// The same packets, each shown at the same moment: containers round to ticks of their own.
bool same_picture(const PictureDigest& a, const PictureDigest& b) {
    const double tick = std::max(a.tick, b.tick);
    return a.hash == b.hash && a.packets == b.packets &&
           std::ranges::equal(a.shown, b.shown,
                              [tick](double x, double y) { return std::abs(x - y) <= tick; });
}

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
    std::uint64_t hidden = 0;
    int code = 0;
    while ((code = av_read_frame(input->get(), packet.get())) >= 0) {
        if (packet->stream_index == index) {
            if ((packet->flags & AV_PKT_FLAG_CORRUPT) != 0) {
                av_packet_unref(packet.get());
                return damaged_picture(path, end, "a picture is cut");
            }
            // What an edit list hides helps to decode what is shown; containers keep more or less of it.
            if ((packet->flags & AV_PKT_FLAG_DISCARD) != 0) {
                ++hidden;
                av_packet_unref(packet.get());
                continue;
            }
            hasher.add(std::as_bytes(std::span(packet->data, static_cast<std::size_t>(packet->size))));
            ++digest.packets;
            digest.shown.push_back(packet->pts != AV_NOPTS_VALUE
                                       ? static_cast<double>(packet->pts) * av_q2d(stream.time_base)
                                       : end);
            if (packet->pts != AV_NOPTS_VALUE)
                end = std::max(
                    end,
                    static_cast<double>(packet->pts + packet->duration) * av_q2d(stream.time_base) - first);
        }
        av_packet_unref(packet.get());
    }
    if (code != AVERROR_EOF) return damaged_picture(path, end, libav::error_text(code));
    // With an edit list, MOV and MP4 count more pictures than are read: those that are read stand in the
    // index.
    const int listed = avformat_index_get_entries_count(&stream);
    const auto wanted = static_cast<std::uint64_t>(
        listed > 0 ? std::min<std::int64_t>(listed, stream.nb_frames) : stream.nb_frames);
    if (digest.packets + hidden < wanted)
        return damaged_picture(path, end,
                               fmt::format("{} of {} pictures are there", digest.packets + hidden, wanted));
    const double declared = stream.duration != AV_NOPTS_VALUE
                                ? static_cast<double>(stream.duration) * av_q2d(stream.time_base)
                                : static_cast<double>((*input)->duration) / AV_TIME_BASE;
    constexpr double kMissing = 1.0;  // a sound that is longer makes the file so much longer at times
    if (stream.duration != AV_NOPTS_VALUE && end > 0 && end < declared - kMissing)
        return damaged_picture(path, end, fmt::format("it says that it goes on to {:.0f} s", declared));
    digest.hash = hasher.hex();
    digest.tick = av_q2d(stream.time_base);
    if (!digest.shown.empty()) {
        const double earliest = *std::ranges::min_element(digest.shown);
        for (double& seconds : digest.shown) seconds -= earliest;
    }
    return digest;
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

bool layback_codes_with_loss(const std::string& ending) {
    return codec_for(ending) == AV_CODEC_ID_AAC;
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
    LaybackWriter writer(plan, id, job);
    if (auto status = writer.write(*sounds, partial); !status) return status.error();
    report.warnings = writer.warnings();

    auto after = picture_digest(partial);
    if (!after) return after.error();
    report.picture_identical = same_picture(*before, *after);
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
        const auto found =
            compare([&](std::int64_t count, AudioBlock& out) { return (*given)[i].next(count, out); },
                    [&](std::int64_t count, AudioBlock& out) { return decoded->next(count, out); }, job);
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
