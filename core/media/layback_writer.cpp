// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/media/layback_writer.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <span>

#include "core/base/output_file.h"

namespace rivlen {

namespace {

// AAC needs more bits where there are more channels to share them.
std::int64_t bit_rate_for(AVCodecID id, int channels) {
    if (id == AV_CODEC_ID_AC3) return channels > 2 ? 640000 : channels == 2 ? 320000 : 192000;
    if (id != AV_CODEC_ID_AAC) return 0;
    return channels > 2 ? 160000LL * channels : channels == 2 ? 320000 : 192000;
}

const char* kind_of(const AVStream& stream) {
    switch (stream.codecpar->codec_type) {
        case AVMEDIA_TYPE_VIDEO:
            return "picture";
        case AVMEDIA_TYPE_AUDIO:
            return "sound";
        case AVMEDIA_TYPE_SUBTITLE:
            return "subtitle";
        case AVMEDIA_TYPE_ATTACHMENT:
            return "attachment";
        default:
            return "data";
    }
}

// MOV and MP4 keep the start timecode and the names of chapters as tracks of data, which the muxer makes
// anew.
bool is_made_anew(const AVStream& stream, bool has_chapters) {
    if (stream.codecpar->codec_type != AVMEDIA_TYPE_DATA) return false;
    return av_dict_get(stream.metadata, "timecode", nullptr, 0) != nullptr ||
           (has_chapters && stream.codecpar->codec_tag == MKTAG('t', 'e', 'x', 't'));
}

}  // namespace

Error LaybackWriter::refused(int code) const {
    if (code == AVERROR(ENOSPC)) return write_error(plan_.out, ENOSPC);
    return make_error(ErrorKind::Io, "\"{}\" cannot be written ({}). Choose another container or folder.",
                      plan_.out.string(), libav::error_text(code));
}

AVStream* LaybackWriter::copy_stream(int from) {
    AVStream* stream = avformat_new_stream(muxer_.get(), nullptr);
    const AVStream& old = *input_->streams[from];
    avcodec_parameters_copy(stream->codecpar, old.codecpar);
    stream->codecpar->codec_tag = 0;
    stream->time_base = old.time_base;
    stream->avg_frame_rate = old.avg_frame_rate;
    stream->sample_aspect_ratio = old.sample_aspect_ratio;
    stream->disposition = old.disposition;
    av_dict_copy(&stream->metadata, old.metadata, 0);
    // Rotation and the like travel as side data.
    for (int i = 0; i < old.nb_side_data; ++i) {
        std::uint8_t* copy = av_stream_new_side_data(stream, old.side_data[i].type, old.side_data[i].size);
        if (copy != nullptr) std::copy_n(old.side_data[i].data, old.side_data[i].size, copy);
    }
    targets_[static_cast<std::size_t>(from)] = stream;
    return stream;
}

// Matroska's clock ticks in milliseconds. So that a sound whose coder begins earlier still begins on a tick,
// silence comes before it; in frames.
std::int64_t LaybackWriter::silent_lead(const AVCodecContext& codec, std::int64_t start_samples) const {
    if (std::string_view(muxer_->oformat->name) != "matroska" || codec.initial_padding == 0) return 0;
    constexpr std::int64_t kTicks = 1000;
    const std::int64_t rate = codec.sample_rate, whole = rate / std::gcd(rate, kTicks);
    const std::int64_t before = (codec.initial_padding - start_samples) % whole;
    return (whole - before) % whole;
}

Status LaybackWriter::add_sound(std::size_t number, SoundUnderPicture& sound) {
    const int sample_rate = sound.info().sample_rate;
    const LaybackSound& given = plan_.sounds[number];
    const AVCodecID id = given.coding == SoundCoding::Ac3 ? AV_CODEC_ID_AC3 : sound_codec_;
    constexpr double kLowestDialnormDb = -31, kHighestDialnormDb = -1;
    const double level_db = given.loudness_lufs.value_or(kLowestDialnormDb);
    auto codec = libav::open_sound_encoder(
        id, sample_rate, sound.info().channels, bit_rate_for(id, sound.info().channels),
        (muxer_->oformat->flags & AVFMT_GLOBALHEADER) != 0,
        static_cast<int>(std::lround(std::clamp(level_db, kLowestDialnormDb, kHighestDialnormDb))));
    if (!codec) return codec.error();
    AVStream* stream = avformat_new_stream(muxer_.get(), nullptr);
    avcodec_parameters_from_context(stream->codecpar, codec->get());
    stream->time_base = {1, sample_rate};
    stream->disposition = number == 0 ? AV_DISPOSITION_DEFAULT : 0;
    av_dict_set(&stream->metadata, "title", given.title.c_str(), 0);
    if (!given.language.empty()) av_dict_set(&stream->metadata, "language", given.language.c_str(), 0);
    av_dict_set(&stream->metadata, "handler_name", given.title.c_str(), 0);
    // The new sounds are timed from the picture's first frame on, wherever the container's clock puts that.
    const double start = libav::start_seconds(*input_->streams[picture_]);
    const std::int64_t start_samples = std::llround(start * sample_rate);
    const std::int64_t lead = silent_lead(**codec, start_samples);
    const auto next = [&sound, lead, led = std::int64_t{0}](std::int64_t count,
                                                            AudioBlock& out) mutable -> Status {
        if (led >= lead) return sound.next(count, out);
        const std::int64_t silent = std::min(count, lead - led);
        if (auto status = sound.next(count - silent, out); !status) return status;
        led += silent;
        AudioBlock both(sound.info().sample_rate, static_cast<std::size_t>(sound.info().channels),
                        static_cast<std::size_t>(silent));
        if (!out.empty()) both.append(out, 0, out.frames());
        out = std::move(both);
        return {};
    };
    tracks_.push_back(
        {libav::SoundEncoder(std::move(*codec), next), sample_rate, stream, start_samples - lead});
    return {};
}

// Whether the container has a way to hold it.
bool LaybackWriter::takes(const AVStream& stream) const {
    const AVMediaType type = stream.codecpar->codec_type;
    const bool matroska = std::string_view(muxer_->oformat->name) == "matroska";
    if (type == AVMEDIA_TYPE_ATTACHMENT) return matroska;
    if (type == AVMEDIA_TYPE_DATA || type == AVMEDIA_TYPE_UNKNOWN) return false;
    // A cover would become a track of one picture there.
    if ((stream.disposition & AV_DISPOSITION_ATTACHED_PIC) != 0 && matroska) return false;
    return avformat_query_codec(muxer_->oformat, stream.codecpar->codec_id, FF_COMPLIANCE_NORMAL) == 1;
}

// All else that the file has: its other sounds, subtitles, attachments, covers. The sound that was taken off
// it goes, or stays as the last one.
void LaybackWriter::add_others() {
    const int replaced = av_find_best_stream(input_.get(), AVMEDIA_TYPE_AUDIO, -1, -1, nullptr, 0);
    for (int i = 0; i < static_cast<int>(input_->nb_streams); ++i) {
        const AVStream& old = *input_->streams[i];
        if (i == picture_ || i == replaced || is_made_anew(old, input_->nb_chapters > 0)) continue;
        if (!takes(old)) {
            warnings_.push_back(fmt::format("\"{}\" cannot hold the {} of track {} ({}); it was left out.",
                                            plan_.out.extension().string(), kind_of(old), i + 1,
                                            avcodec_get_name(old.codecpar->codec_id)));
            continue;
        }
        AVStream* copy = copy_stream(i);
        if (old.codecpar->codec_type == AVMEDIA_TYPE_AUDIO) copy->disposition &= ~AV_DISPOSITION_DEFAULT;
    }
    if (!plan_.keep_original_sound || replaced < 0) return;
    AVStream* original = copy_stream(replaced);
    original->disposition = 0;
    av_dict_set(&original->metadata, "title", "Original", 0);
}

// A start timecode kept only on a data track (as MOV does) must be named on the picture to be written again.
void LaybackWriter::name_timecode() {
    for (unsigned i = 0; i < input_->nb_streams; ++i) {
        const AVDictionaryEntry* timecode = av_dict_get(input_->streams[i]->metadata, "timecode", nullptr, 0);
        if (timecode != nullptr)
            av_dict_set(&targets_[static_cast<std::size_t>(picture_)]->metadata, "timecode", timecode->value,
                        0);
    }
}

void LaybackWriter::copy_chapters() {
    if (input_->nb_chapters == 0) return;
    const std::span<AVChapter*> chapters(input_->chapters, input_->nb_chapters);
    muxer_->chapters = static_cast<AVChapter**>(av_calloc(chapters.size(), sizeof(AVChapter*)));
    if (muxer_->chapters == nullptr) return;
    for (const AVChapter* old : chapters) {
        auto* chapter = static_cast<AVChapter*>(av_mallocz(sizeof(AVChapter)));
        if (chapter == nullptr) return;
        chapter->id = old->id;
        chapter->time_base = old->time_base;
        chapter->start = old->start;
        chapter->end = old->end;
        av_dict_copy(&chapter->metadata, old->metadata, 0);
        muxer_->chapters[muxer_->nb_chapters++] = chapter;  // freed with the muxer
    }
}

Status LaybackWriter::write_sounds_until(double seconds) {
    for (auto& track : tracks_) {
        while (track.more && track.seconds < seconds) {
            auto got = track.encoder.next(*sound_packet_);
            if (!got) return got.error();
            track.more = *got;
            if (!track.more) break;
            sound_packet_->pts += track.start_samples;
            sound_packet_->dts += track.start_samples;
            track.seconds = static_cast<double>(sound_packet_->dts) / track.sample_rate;
            av_packet_rescale_ts(sound_packet_.get(), {1, track.sample_rate}, track.stream->time_base);
            sound_packet_->stream_index = track.stream->index;
            if (const int code = av_interleaved_write_frame(muxer_.get(), sound_packet_.get()); code < 0)
                return refused(code);
        }
    }
    return {};
}

Status LaybackWriter::copy_packets() {
    const libav::Packet packet(av_packet_alloc());
    while (av_read_frame(input_.get(), packet.get()) >= 0) {
        if (job_.cancelled()) return JobControl::cancelled_error();
        const auto from = static_cast<std::size_t>(packet->stream_index);
        // Streams that appear behind the head of a file are none that were asked for.
        AVStream* target = from < targets_.size() ? targets_[from] : nullptr;
        if (target != nullptr) {
            const AVRational base = input_->streams[packet->stream_index]->time_base;
            const std::int64_t when = packet->dts != AV_NOPTS_VALUE ? packet->dts : packet->pts;
            const double seconds =
                when != AV_NOPTS_VALUE ? static_cast<double>(when) * av_q2d(base) : tracks_[0].seconds;
            if (auto status = write_sounds_until(seconds); !status) return status;
            job_.report(0.8 * std::clamp(seconds / total_seconds_, 0.0, 1.0));
            av_packet_rescale_ts(packet.get(), base, target->time_base);
            packet->stream_index = target->index;
            packet->pos = -1;
            if (const int code = av_interleaved_write_frame(muxer_.get(), packet.get()); code < 0)
                return refused(code);
        }
        av_packet_unref(packet.get());
    }
    return write_sounds_until(1e18);
}

Status LaybackWriter::write(std::vector<SoundUnderPicture>& sounds, const std::filesystem::path& partial) {
    auto opened = libav::open_input(plan_.picture);
    if (!opened) return opened.error();
    input_ = std::move(*opened);
    picture_ = libav::picture_stream(*input_);
    if (picture_ < 0) {
        return make_error(ErrorKind::BadInput, "\"{}\" has no picture in it. Choose a file with a picture.",
                          plan_.picture.string());
    }
    AVFormatContext* raw = nullptr;
    avformat_alloc_output_context2(&raw, nullptr, nullptr, partial.c_str());
    if (raw == nullptr)
        return make_error(ErrorKind::Unsupported, "Choose a name that ends in .mov, .mp4 or .mkv.");
    muxer_.reset(raw);
    targets_.assign(input_->nb_streams, nullptr);
    total_seconds_ = std::max(0.001, sounds[0].info().duration_seconds);
    av_dict_copy(&raw->metadata, input_->metadata, 0);
    copy_stream(picture_);
    for (std::size_t i = 0; i < sounds.size(); ++i) {
        if (auto status = add_sound(i, sounds[i]); !status) return status;
    }
    add_others();
    name_timecode();
    copy_chapters();
    if (const int code = avio_open(&raw->pb, ("file:" + partial.string()).c_str(), AVIO_FLAG_WRITE); code < 0)
        return refused(code);
    // MOV and MP4 place tracks by the movie's own clock, whose ticks are milliseconds if nobody says
    // otherwise; other containers leave the option alone.
    AVDictionary* options = nullptr;
    av_dict_set_int(&options, "movie_timescale", sounds[0].info().sample_rate, 0);
    const int code = avformat_write_header(raw, &options);
    av_dict_free(&options);
    if (code < 0) return refused(code);
    if (auto status = copy_packets(); !status) return status;
    if (const int failed = av_write_trailer(raw); failed < 0) return refused(failed);
    if (const int failed = avio_closep(&raw->pb); failed < 0) return refused(failed);
    return {};
}

}  // namespace rivlen
