// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/media/sound_encoder.h"

#include <algorithm>
#include <cmath>

namespace rivlen::libav {

namespace {

constexpr std::int64_t kBlockFrames = 4096;  // where the codec has no frame size of its own

// Interleaved or planar float for the lossy codecs, 32-bit integers for those that keep 24 bits.
AVSampleFormat format_for(const AVCodec& encoder, AVCodecID id) {
    if (id == AV_CODEC_ID_FLAC || id == AV_CODEC_ID_PCM_S24LE) return AV_SAMPLE_FMT_S32;
    for (const AVSampleFormat* f = encoder.sample_fmts; f != nullptr && *f != AV_SAMPLE_FMT_NONE; ++f) {
        if (av_get_packed_sample_fmt(*f) == AV_SAMPLE_FMT_FLT) return *f;
    }
    return AV_SAMPLE_FMT_NONE;
}

const AVCodec* encoder_for(AVCodecID id) {
    // libavcodec's own Opus encoder is experimental.
    if (id == AV_CODEC_ID_OPUS) return avcodec_find_encoder_by_name("libopus");
    return avcodec_find_encoder(id);
}

}  // namespace

Result<Codec> open_sound_encoder(AVCodecID id, int sample_rate, int channels, std::int64_t bit_rate,
                                 bool global_header, int dialnorm_db) {
    const AVCodec* encoder = encoder_for(id);
    const AVSampleFormat format =
        encoder != nullptr ? format_for(*encoder, id) : AVSampleFormat::AV_SAMPLE_FMT_NONE;
    if (format == AV_SAMPLE_FMT_NONE)
        return make_error(ErrorKind::Unsupported,
                          "This system has no encoder for {}. Choose another kind of file.",
                          avcodec_get_name(id));
    Codec codec(avcodec_alloc_context3(encoder));
    codec->sample_rate = sample_rate;
    av_channel_layout_default(&codec->ch_layout, channels);
    codec->time_base = {1, sample_rate};
    codec->sample_fmt = format;
    codec->bit_rate = bit_rate;
    if (id == AV_CODEC_ID_FLAC) codec->bits_per_raw_sample = 24;
    if (global_header) codec->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
    AVDictionary* options = nullptr;
    if (id == AV_CODEC_ID_AC3) av_dict_set_int(&options, "dialnorm", dialnorm_db, 0);
    const int code = avcodec_open2(codec.get(), encoder, &options);
    av_dict_free(&options);
    if (code < 0)
        return make_error(ErrorKind::Unsupported,
                          "{} cannot hold {} channels at {} Hz ({}). Choose another kind of file.",
                          encoder->name, channels, sample_rate, error_text(code));
    return codec;
}

SoundEncoder::SoundEncoder(Codec codec, NextFrames sound)
    : codec_(std::move(codec)), sound_(std::move(sound)) {
    // Encoders without this capability do not give out at the end what they hold back.
    if ((codec_->codec->capabilities & AV_CODEC_CAP_DELAY) == 0) tail_ = codec_->initial_padding;
}

Result<bool> SoundEncoder::next(AVPacket& packet) {
    while (true) {
        const int code = avcodec_receive_packet(codec_.get(), &packet);
        if (code == 0) return true;
        if (code == AVERROR_EOF) return false;
        if (code != AVERROR(EAGAIN))
            return make_error(ErrorKind::Internal, "Coding failed ({}).", error_text(code));
        if (auto status = send(); !status) return status.error();
    }
}

Status SoundEncoder::send() {
    const std::int64_t wanted = codec_->frame_size > 0 ? codec_->frame_size : kBlockFrames;
    if (auto status = sound_(wanted, block_); !status) return status;
    auto size = static_cast<std::int64_t>(block_.frames());
    if (const std::int64_t more = std::min(tail_, wanted - size); more > 0) {
        tail_ -= more;
        size += more;
        if (block_.channels() == 0)
            block_ = AudioBlock(codec_->sample_rate, static_cast<std::size_t>(codec_->ch_layout.nb_channels));
        block_.resize(static_cast<std::size_t>(size));
    }
    int code = 0;
    if (size == 0) {
        code = avcodec_send_frame(codec_.get(), nullptr);
    } else {
        const Frame frame(av_frame_alloc());
        frame->nb_samples = static_cast<int>(size);
        frame->format = codec_->sample_fmt;
        frame->sample_rate = codec_->sample_rate;
        av_channel_layout_copy(&frame->ch_layout, &codec_->ch_layout);
        if (code = av_frame_get_buffer(frame.get(), 0); code == 0) {
            fill(*frame);
            frame->pts = at_;
            at_ += size;
            code = avcodec_send_frame(codec_.get(), frame.get());
        }
    }
    if (code < 0) return make_error(ErrorKind::Internal, "Coding failed ({}).", error_text(code));
    return {};
}

void SoundEncoder::fill(AVFrame& frame) const {
    const std::size_t channels = block_.channels();
    const auto size = static_cast<std::size_t>(frame.nb_samples);
    for (std::size_t c = 0; c < channels; ++c) {
        const float* in = block_[c].data();
        if (frame.format == AV_SAMPLE_FMT_FLTP) {
            std::copy_n(in, size, reinterpret_cast<float*>(frame.extended_data[c]));
        } else if (frame.format == AV_SAMPLE_FMT_FLT) {
            auto* out = reinterpret_cast<float*>(frame.extended_data[0]);
            for (std::size_t i = 0; i < size; ++i) out[i * channels + c] = in[i];
        } else {
            auto* out = reinterpret_cast<std::int32_t*>(frame.extended_data[0]);
            for (std::size_t i = 0; i < size; ++i) {
                // 24 bits in the upper part of 32: rounded to 24 bits first, so that nothing is lost to
                // truncation.
                const long value =
                    std::clamp(std::lround(static_cast<double>(in[i]) * 8388608.0), -8388608L, 8388607L);
                out[i * channels + c] = static_cast<std::int32_t>(value * 256);
            }
        }
    }
}

}  // namespace rivlen::libav
