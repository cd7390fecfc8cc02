// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/media/decode.h"

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

Result<MediaInfo> probe(const std::filesystem::path& path) {
    auto input = libav::open_input(path);
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
    return info;
}

struct AudioDecoder::State {
    std::filesystem::path path;
    libav::Input input;
    libav::Codec codec;
    libav::Resample convert;
    libav::Packet packet{av_packet_alloc()};
    libav::Frame frame{av_frame_alloc()};
    AudioStreamInfo info;
    double picture_start_seconds = 0;
    bool has_picture = false;
    std::optional<double> first_sample_seconds;
    std::uint64_t damaged = 0;
    std::uint64_t decoded = 0;
    bool draining = false;

    // Interleaved float32 at the stream's own rate and channel count, whatever the decoder hands out.
    Status configure_conversion() {
        SwrContext* raw = nullptr;
        AVChannelLayout layout{};  // copying into one frees what it holds
        av_channel_layout_default(&layout, info.channels);
        AVChannelLayout in_layout{};
        av_channel_layout_copy(&in_layout, &frame->ch_layout);
        if (in_layout.nb_channels == info.channels) av_channel_layout_copy(&layout, &in_layout);
        const int code =
            swr_alloc_set_opts2(&raw, &layout, AV_SAMPLE_FMT_FLT, info.sample_rate, &in_layout,
                                static_cast<AVSampleFormat>(frame->format), frame->sample_rate, 0, nullptr);
        convert.reset(raw);
        av_channel_layout_uninit(&layout);
        av_channel_layout_uninit(&in_layout);
        if (code < 0 || swr_init(raw) < 0) {
            return make_error(
                ErrorKind::Unsupported,
                "The sound in \"{}\" has a channel layout that cannot be read. Convert it to WAV first.",
                path.string());
        }
        return {};
    }
};

AudioDecoder::AudioDecoder(std::unique_ptr<State> state) : state_(std::move(state)) {}
AudioDecoder::AudioDecoder(AudioDecoder&&) noexcept = default;
AudioDecoder& AudioDecoder::operator=(AudioDecoder&&) noexcept = default;
AudioDecoder::~AudioDecoder() = default;

const AudioStreamInfo& AudioDecoder::info() const {
    return state_->info;
}
std::uint64_t AudioDecoder::damaged_packets() const {
    return state_->damaged;
}
double AudioDecoder::start_after_picture_seconds() const {
    if (!state_->has_picture) return 0.0;
    return state_->first_sample_seconds.value_or(state_->info.start_seconds) - state_->picture_start_seconds;
}

Result<AudioDecoder> AudioDecoder::open(const std::filesystem::path& path, int stream_index) {
    auto input = libav::open_input(path);
    if (!input) return input.error();
    auto state = std::make_unique<State>();
    state->path = path;
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
    return AudioDecoder(std::move(state));
}

Result<std::vector<float>> AudioDecoder::read() {
    State& s = *state_;
    while (true) {
        const int received = avcodec_receive_frame(s.codec.get(), s.frame.get());
        if (received == 0) {
            if (s.frame->nb_samples == 0) continue;
            if (!s.convert) {
                if (auto status = s.configure_conversion(); !status) return status.error();
            }
            // The stream's declared start may still count the encoder's delay; the first decoded sample's
            // time does not.
            if (!s.first_sample_seconds && s.frame->pts != AV_NOPTS_VALUE) {
                s.first_sample_seconds = static_cast<double>(s.frame->pts) * av_q2d(s.codec->pkt_timebase);
            }
            std::vector<float> block(static_cast<std::size_t>(s.frame->nb_samples) *
                                     static_cast<std::size_t>(s.info.channels));
            auto* out = reinterpret_cast<std::uint8_t*>(block.data());
            const int made = swr_convert(s.convert.get(), &out, s.frame->nb_samples,
                                         const_cast<const std::uint8_t**>(s.frame->extended_data),  // NOLINT
                                         s.frame->nb_samples);
            av_frame_unref(s.frame.get());
            if (made <= 0) {
                ++s.damaged;
                continue;
            }
            block.resize(static_cast<std::size_t>(made) * static_cast<std::size_t>(s.info.channels));
            s.decoded += static_cast<std::uint64_t>(made);
            return block;
        }
        if (received == AVERROR_EOF) {
            if (s.decoded == 0 && s.damaged > 0) {
                return make_error(ErrorKind::BadInput,
                                  "Nothing in \"{}\" can be decoded; it is damaged. Copy it again.",
                                  s.path.string());
            }
            return std::vector<float>{};
        }
        if (received != AVERROR(EAGAIN)) {
            ++s.damaged;
            if (s.draining) return std::vector<float>{};
        }
        const int code = av_read_frame(s.input.get(), s.packet.get());
        if (code < 0) {
            if (!s.draining) avcodec_send_packet(s.codec.get(), nullptr);
            s.draining = true;
            continue;
        }
        if (s.packet->stream_index == s.info.index && avcodec_send_packet(s.codec.get(), s.packet.get()) < 0)
            ++s.damaged;
        av_packet_unref(s.packet.get());
    }
}

Result<AudioBuffer> read_audio(const std::filesystem::path& path, int sample_rate, int stream_index) {
    auto decoder = AudioDecoder::open(path, stream_index);
    if (!decoder) return decoder.error();
    AudioBuffer buffer;
    buffer.sample_rate = decoder->info().sample_rate;
    const auto channels = static_cast<std::size_t>(decoder->info().channels);
    buffer.channels.resize(channels);
    while (true) {
        auto block = decoder->read();
        if (!block) return block.error();
        if (block->empty()) break;
        for (std::size_t i = 0; i < block->size(); ++i) buffer.channels[i % channels].push_back((*block)[i]);
    }
    buffer.start_after_picture_seconds = decoder->start_after_picture_seconds();
    if (sample_rate > 0 && sample_rate != buffer.sample_rate) {
        for (auto& channel : buffer.channels) channel = resample(channel, buffer.sample_rate, sample_rate);
        buffer.sample_rate = sample_rate;
    }
    return buffer;
}

}  // namespace rivlen
