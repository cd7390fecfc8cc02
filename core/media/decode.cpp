// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/media/decode.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/job.h"
#include "core/dsp/resample.h"
#include "core/media/libav.h"

namespace rivlen {

namespace {

std::string tag(const AVDictionary* dictionary, const char* key) {
    const AVDictionaryEntry* entry = av_dict_get(dictionary, key, nullptr, 0);
    return entry != nullptr ? entry->value : "";
}

double duration_of(const AVFormatContext& input, const AVStream& stream) {
    if (stream.duration != AV_NOPTS_VALUE && stream.duration > 0) {
        return static_cast<double>(stream.duration) * av_q2d(stream.time_base);
    }
    return input.duration > 0 ? static_cast<double>(input.duration) / AV_TIME_BASE : 0.0;
}

AudioStreamInfo audio_info(const AVFormatContext& input, const AVStream& stream) {
    const AVCodecParameters& parameters = *stream.codecpar;
    AudioStreamInfo info;
    info.index = stream.index;
    info.codec = avcodec_get_name(parameters.codec_id);
    info.sample_rate = parameters.sample_rate;
    info.channels = parameters.ch_layout.nb_channels;
    info.bits_per_sample = parameters.bits_per_raw_sample > 0 ? parameters.bits_per_raw_sample
                                                              : parameters.bits_per_coded_sample;
    info.duration_seconds = duration_of(input, stream);
    info.start_seconds = libav::start_seconds(stream);
    info.language = tag(stream.metadata, "language");
    info.title = tag(stream.metadata, "title");
    // MOV and MP4 have a track's name there, or what wrote it ("SoundHandler", "Core Media Audio").
    const std::string handler = tag(stream.metadata, "handler_name");
    if (info.title.empty() && handler.find("andler") == std::string::npos &&
        handler.find("Core Media") == std::string::npos)
        info.title = handler;
    return info;
}

PictureStreamInfo picture_info(const AVFormatContext& input, const AVStream& stream) {
    PictureStreamInfo info;
    info.index = stream.index;
    info.codec = avcodec_get_name(stream.codecpar->codec_id);
    info.width = stream.codecpar->width;
    info.height = stream.codecpar->height;
    const AVRational rate = stream.avg_frame_rate.num > 0 ? stream.avg_frame_rate : stream.r_frame_rate;
    info.frame_rate_num = rate.num;
    info.frame_rate_den = rate.den > 0 ? rate.den : 1;
    info.duration_seconds = duration_of(input, stream);
    info.start_seconds = libav::start_seconds(stream);
    // Containers keep the start timecode on the picture, on a data track, or on the whole file.
    info.timecode = tag(stream.metadata, "timecode");
    for (unsigned i = 0; info.timecode.empty() && i < input.nb_streams; ++i) {
        info.timecode = tag(input.streams[i]->metadata, "timecode");
    }
    if (info.timecode.empty()) info.timecode = tag(input.metadata, "timecode");
    return info;
}

Error no_sound(const std::filesystem::path& path) {
    return make_error(ErrorKind::BadInput, "\"{}\" has no sound in it. Choose a file with an audio stream.",
                      path.string());
}

}  // namespace

std::int64_t start_timecode_frame(const MediaInfo& info, FrameRate rate) {
    if (info.picture) {
        if (const auto frame = parse_timecode(info.picture->timecode, rate)) return *frame;
    }
    return std::llround(info.time_reference_seconds.value_or(0) * rate.per_second());
}

Result<MediaInfo> probe(const std::filesystem::path& path, const std::atomic<bool>* stop) {
    auto input = libav::open_input(path, stop);
    if (!input) return input.error();
    const AVFormatContext& context = **input;
    MediaInfo info;
    info.container = context.iformat->name;
    info.duration_seconds = context.duration > 0 ? static_cast<double>(context.duration) / AV_TIME_BASE : 0.0;
    std::error_code error;
    info.size_bytes = std::filesystem::file_size(path, error);
    for (unsigned i = 0; i < context.nb_streams; ++i) {
        const AVStream& stream = *context.streams[i];
        if (stream.codecpar->codec_type == AVMEDIA_TYPE_AUDIO)
            info.audio.push_back(audio_info(context, stream));
    }
    if (const int index = libav::picture_stream(context); index >= 0) {
        info.picture = picture_info(context, *context.streams[index]);
    }
    if (info.audio.empty()) return no_sound(path);
    const std::string reference = tag(context.metadata, "time_reference");
    if (!reference.empty() && !info.audio.empty() && info.audio.front().sample_rate > 0)
        info.time_reference_seconds =
            std::strtod(reference.c_str(), nullptr) / info.audio.front().sample_rate;
    return info;
}

std::vector<std::string> DecodingNotes::sentences() const {
    std::vector<std::string> all;
    if (damaged_packets > 0)
        all.push_back(fmt::format("{} damaged places were skipped; copy the recording again if they matter.",
                                  damaged_packets));
    if (format_changes > 0)
        all.push_back(
            fmt::format("The sound changes its channels or rate {} times; all of it was brought to what it "
                        "begins with. Listen to these places.",
                        format_changes));
    if (holes > 0)
        all.push_back(
            fmt::format("{:.1f} s are missing in {} places; they are silent, so that what follows "
                        "stays in step. Copy the recording again if they matter.",
                        hole_seconds, holes));
    if (overlaps > 0)
        all.push_back(fmt::format("{} places are there twice; the second was left out.", overlaps));
    if (!read_error.empty())
        all.push_back(fmt::format(
            "The file could not be read to its end ({}); copy it again if the end matters.", read_error));
    return all;
}

namespace {

// Timestamps of some containers are rounded to a millisecond, and some encoders are off by a packet.
constexpr double kSmallestHoleSeconds = 0.1;
// A larger jump is another clock (a timestamp that wrapped around, files joined), not a hole.
constexpr double kLargestHoleSeconds = 3600;
constexpr double kLargestOverlapSeconds = 10;
constexpr std::int64_t kSilentBlockFrames = 1 << 16;

// Interleaved float32 at one rate and channel count, whatever the decoder hands out from frame to frame.
class FrameConverter {
  public:
    FrameConverter(int sample_rate, int channels) : rate_(sample_rate), channels_(channels) {}
    FrameConverter(FrameConverter&&) = default;
    ~FrameConverter() { av_channel_layout_uninit(&layout_); }
    FrameConverter(const FrameConverter&) = delete;

    // Whether the frame needs another setting than those before it.
    [[nodiscard]] bool changes(const AVFrame& frame) const {
        return convert_ && (frame.format != format_ || frame.sample_rate != in_rate_ ||
                            av_channel_layout_compare(&frame.ch_layout, &layout_) != 0);
    }
    // Sets up for such frames; what the former setting still holds is appended to `out` first. False when
    // libswresample refuses.
    bool prepare(const AVFrame& frame, std::vector<float>& out) {
        if (convert_ && !changes(frame)) return true;
        drain(out);
        av_channel_layout_uninit(&layout_);
        av_channel_layout_copy(&layout_, &frame.ch_layout);
        format_ = frame.format;
        in_rate_ = frame.sample_rate;
        find_order();
        AVChannelLayout to{};
        if (layout_.nb_channels == channels_) {
            av_channel_layout_copy(&to, &layout_);
        } else {
            av_channel_layout_default(&to, channels_);
        }
        SwrContext* raw = nullptr;
        const int code = swr_alloc_set_opts2(&raw, &to, AV_SAMPLE_FMT_FLT, rate_, &layout_,
                                             static_cast<AVSampleFormat>(format_), in_rate_, 0, nullptr);
        convert_.reset(raw);
        av_channel_layout_uninit(&to);
        if (code < 0) return false;
        // One channel goes to both sides as it is, and two sides that are alike become one that is as loud.
        const std::array<double, 2> to_both = {1.0, 1.0};
        const std::array<double, 2> to_middle = {0.5, 0.5};
        if (layout_.nb_channels == 1 && channels_ == 2) swr_set_matrix(raw, to_both.data(), 1);
        if (layout_.nb_channels == 2 && channels_ == 1) swr_set_matrix(raw, to_middle.data(), 2);
        return swr_init(raw) >= 0;
    }
    bool convert(const AVFrame& frame, std::vector<float>& out) {
        return take(const_cast<const std::uint8_t**>(frame.extended_data), frame.nb_samples, out);  // NOLINT
    }
    void drain(std::vector<float>& out) {
        if (convert_ && in_rate_ != rate_) take(nullptr, 0, out);
    }

  private:
    // libav has rears before sides, the standards' layouts the other way round.
    void find_order() {
        order_.clear();
        const auto at = [this](AVChannel channel) {
            return av_channel_layout_index_from_channel(&layout_, channel);
        };
        const int rear = at(AV_CHAN_BACK_LEFT), side = at(AV_CHAN_SIDE_LEFT);
        if (layout_.order != AV_CHANNEL_ORDER_NATIVE || layout_.nb_channels != channels_ || rear < 0 ||
            side < 0 || rear > side || at(AV_CHAN_BACK_RIGHT) != rear + 1 ||
            at(AV_CHAN_SIDE_RIGHT) != side + 1)
            return;
        for (std::size_t c = 0; c < static_cast<std::size_t>(channels_); ++c) order_.push_back(c);
        for (std::size_t c = 0; c < 2; ++c)
            std::swap(order_[static_cast<std::size_t>(rear) + c], order_[static_cast<std::size_t>(side) + c]);
    }
    void put_in_order(std::span<float> frames) {
        if (order_.empty()) return;
        for (std::size_t at = 0; at < frames.size(); at += order_.size()) {
            frame_.assign(frames.begin() + static_cast<std::ptrdiff_t>(at),
                          frames.begin() + static_cast<std::ptrdiff_t>(at + order_.size()));
            for (std::size_t c = 0; c < order_.size(); ++c) frames[at + c] = frame_[order_[c]];
        }
    }
    std::vector<std::size_t> order_;  // place in the file by channel; empty: as it is
    std::vector<float> frame_;
    bool take(const std::uint8_t** in, int count, std::vector<float>& out) {
        const int room = std::max(0, swr_get_out_samples(convert_.get(), count));
        const std::size_t before = out.size();
        const auto channels = static_cast<std::size_t>(channels_);
        out.resize(before + static_cast<std::size_t>(room) * channels);
        auto* to = reinterpret_cast<std::uint8_t*>(out.data() + before);
        const int made = swr_convert(convert_.get(), &to, room, in, count);
        put_in_order(std::span(out).subspan(before, static_cast<std::size_t>(std::max(made, 0)) * channels));
        out.resize(before + static_cast<std::size_t>(std::max(made, 0)) * channels);
        return made >= 0;
    }
    int rate_, channels_;
    libav::Resample convert_;
    AVChannelLayout layout_{};
    int format_ = -1, in_rate_ = 0;
};

}  // namespace

struct AudioDecoder::State {
    std::filesystem::path path;
    const std::atomic<bool>* stop = nullptr;
    libav::Input input;
    libav::Codec codec;
    std::optional<FrameConverter> converter;
    libav::Packet packet{av_packet_alloc()};
    libav::Frame frame{av_frame_alloc()};
    AudioStreamInfo info;
    double picture_start_seconds = 0;
    bool has_picture = false;
    std::optional<double> first_sample_seconds;
    DecodingNotes notes;
    std::uint64_t decoded = 0;
    bool draining = false, ended = false;
    std::string failed;                  // what the system said when the file could not be read on
    std::optional<double> next_seconds;  // where the next frame begins when nothing is missing
    std::int64_t silent_frames = 0;      // to be handed out before the frame
    std::int64_t frames_to_leave_out = 0;

    // Holes and overlaps between what was decoded and the frame that is there now.
    void compare_times() {
        if (frame->pts == AV_NOPTS_VALUE) return;
        const double at = static_cast<double>(frame->pts) * av_q2d(codec->pkt_timebase);
        // The stream's declared start may still count the encoder's delay; the first decoded sample's time
        // does not.
        if (!first_sample_seconds) first_sample_seconds = at;
        const double jump = next_seconds ? at - *next_seconds : 0.0;
        if (next_seconds && std::abs(jump) <= kSmallestHoleSeconds) return;
        next_seconds = at;
        if (jump > 0 && jump < kLargestHoleSeconds) {
            ++notes.holes;
            notes.hole_seconds += jump;
            silent_frames = std::llround(jump * info.sample_rate);
        } else if (jump < 0 && jump > -kLargestOverlapSeconds) {
            ++notes.overlaps;
            frames_to_leave_out = std::llround(-jump * info.sample_rate);
        }
    }
    // The frame's samples into `block`.
    Status convert_frame(std::vector<float>& block) {
        if (converter->changes(*frame)) ++notes.format_changes;
        if (!converter->prepare(*frame, block)) {
            if (decoded == 0)
                return make_error(
                    ErrorKind::Unsupported,
                    "The sound in \"{}\" has a channel layout that cannot be read. Convert it to WAV first.",
                    path.string());
            ++notes.damaged_packets;
            return {};
        }
        if (next_seconds && frame->sample_rate > 0)
            *next_seconds += static_cast<double>(frame->nb_samples) / frame->sample_rate;
        if (!converter->convert(*frame, block)) ++notes.damaged_packets;
        return {};
    }
    void leave_out(std::vector<float>& block) {
        const auto channels = static_cast<std::int64_t>(info.channels);
        const std::int64_t gone =
            std::min(frames_to_leave_out, static_cast<std::int64_t>(block.size()) / channels);
        block.erase(block.begin(), block.begin() + gone * channels);
        frames_to_leave_out -= gone;
    }
    std::vector<float> silence() {
        const std::int64_t count = std::min(silent_frames, kSilentBlockFrames);
        silent_frames -= count;
        return std::vector<float>(static_cast<std::size_t>(count * info.channels));
    }
    // Decodes on until there is a frame. False at the end.
    bool next_frame() {
        while (true) {
            const int received = avcodec_receive_frame(codec.get(), frame.get());
            if (received == 0 && frame->nb_samples > 0) return true;
            if (received == 0) continue;
            if (received == AVERROR_EOF) return false;
            if (received != AVERROR(EAGAIN)) {
                ++notes.damaged_packets;
                if (draining) return false;
            }
            feed();
        }
    }
    void feed() {
        const int code = av_read_frame(input.get(), packet.get());
        if (code < 0) {
            // libavformat takes a disk that cannot be read for the end of the file; what it reads from knows
            // better.
            const int disk = input->pb != nullptr && input->pb->error < 0 ? input->pb->error : 0;
            if (disk != 0 && disk != AVERROR_EOF) {
                failed = libav::error_text(disk);
            } else if (code != AVERROR_EOF && notes.read_error.empty()) {
                notes.read_error = libav::error_text(code);
            }
            if (!draining) avcodec_send_packet(codec.get(), nullptr);
            draining = true;
            return;
        }
        if (packet->stream_index == info.index && avcodec_send_packet(codec.get(), packet.get()) < 0)
            ++notes.damaged_packets;
        av_packet_unref(packet.get());
    }
};

AudioDecoder::AudioDecoder(std::unique_ptr<State> state) : state_(std::move(state)) {}
AudioDecoder::AudioDecoder(AudioDecoder&&) noexcept = default;
AudioDecoder& AudioDecoder::operator=(AudioDecoder&&) noexcept = default;
AudioDecoder::~AudioDecoder() = default;

const AudioStreamInfo& AudioDecoder::info() const {
    return state_->info;
}
const DecodingNotes& AudioDecoder::notes() const {
    return state_->notes;
}
double AudioDecoder::start_after_picture_seconds() const {
    if (!state_->has_picture) return 0.0;
    return state_->first_sample_seconds.value_or(state_->info.start_seconds) - state_->picture_start_seconds;
}

Result<AudioDecoder> AudioDecoder::open(const std::filesystem::path& path, int stream_index,
                                        const std::atomic<bool>* stop) {
    auto input = libav::open_input(path, stop);
    if (!input) return input.error();
    auto state = std::make_unique<State>();
    state->path = path;
    state->stop = stop;
    state->input = std::move(*input);
    AVFormatContext& context = *state->input;
    if (stream_index < 0)
        stream_index = av_find_best_stream(&context, AVMEDIA_TYPE_AUDIO, -1, -1, nullptr, 0);
    if (stream_index < 0 || stream_index >= static_cast<int>(context.nb_streams) ||
        context.streams[stream_index]->codecpar->codec_type != AVMEDIA_TYPE_AUDIO) {
        return no_sound(path);
    }
    for (unsigned i = 0; i < context.nb_streams; ++i) {
        context.streams[i]->discard = static_cast<int>(i) == stream_index ? AVDISCARD_DEFAULT : AVDISCARD_ALL;
    }
    const AVStream& stream = *context.streams[stream_index];
    state->info = audio_info(context, stream);
    if (state->info.sample_rate < kMinSampleRate || state->info.sample_rate > kMaxSampleRate) {
        return make_error(ErrorKind::Unsupported,
                          "\"{}\" has {} Hz; Rivlen takes {} to {} Hz. Convert it to 48000 Hz first.",
                          path.string(), state->info.sample_rate, kMinSampleRate, kMaxSampleRate);
    }
    if (state->info.channels < 1 || state->info.channels > kMaxChannels) {
        return make_error(
            ErrorKind::Unsupported,
            "\"{}\" has {} channels; Rivlen takes 1 to {}. Export the channels you need as mono or stereo "
            "files.",
            path.string(), state->info.channels, kMaxChannels);
    }
    if (const int picture = libav::picture_stream(context); picture >= 0) {
        state->has_picture = true;
        state->picture_start_seconds = libav::start_seconds(*context.streams[picture]);
    }
    auto codec = libav::open_decoder(stream, 1);
    if (!codec) return codec.error();
    state->codec = std::move(*codec);
    state->converter.emplace(state->info.sample_rate, state->info.channels);
    return AudioDecoder(std::move(state));
}

Result<std::vector<float>> AudioDecoder::read() {
    State& s = *state_;
    std::vector<float> block;
    while (block.empty() && !s.ended) {
        if (s.silent_frames > 0) return s.silence();
        // A frame that waits behind a silence is still there.
        if (s.frame->nb_samples == 0) {
            if (!s.next_frame()) {
                s.ended = true;
                s.converter->drain(block);
                break;
            }
            s.compare_times();
            if (s.silent_frames > 0) continue;
        }
        const Status converted = s.convert_frame(block);
        av_frame_unref(s.frame.get());
        if (!converted) return converted.error();
        s.leave_out(block);
        s.decoded += block.size();
    }
    if (s.stop != nullptr && *s.stop) return JobControl::cancelled_error();
    if (s.ended && !s.failed.empty())
        return make_error(
            ErrorKind::Io,
            "\"{}\" could not be read to its end ({}). Check the disk that it lies on, or copy it from "
            "another, and try again.",
            s.path.string(), s.failed);
    if (s.ended && s.decoded == 0 && s.notes.damaged_packets > 0)
        return make_error(ErrorKind::BadInput,
                          "Nothing in \"{}\" can be decoded; it is damaged. Copy it again.", s.path.string());
    return block;
}

Result<AudioBlock> read_audio(const std::filesystem::path& path, int sample_rate, int stream_index) {
    auto decoder = AudioDecoder::open(path, stream_index);
    if (!decoder) return decoder.error();
    const int own_rate = decoder->info().sample_rate;
    AudioBlock sound(own_rate, static_cast<std::size_t>(decoder->info().channels));
    while (true) {
        auto block = decoder->read();
        if (!block) return block.error();
        if (block->empty()) break;
        sound.append_interleaved(*block);
    }
    if (sample_rate <= 0 || sample_rate == own_rate) return sound;
    auto channels = sound.take();
    for (auto& channel : channels) channel = resample(channel, own_rate, sample_rate);
    return AudioBlock(sample_rate, std::move(channels));
}

}  // namespace rivlen
