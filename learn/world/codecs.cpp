// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/world/codecs.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <memory>
#include <span>
#include <vector>

#include "core/dsp/real_fft.h"
#include "core/dsp/resample.h"
#include "core/media/libav.h"
#include "learn/corpus.h"

namespace rivlen::learn {

namespace {

using libav::Codec;
using libav::Frame;
using libav::Packet;

// One sample of a frame, whatever its format.
float sample_of(const AVFrame& frame, int channel, int i) {
    const auto format = static_cast<AVSampleFormat>(frame.format);
    const bool planar = av_sample_fmt_is_planar(format) != 0;
    const int index = planar ? i : i * frame.ch_layout.nb_channels + channel;
    const std::uint8_t* plane = frame.extended_data[planar ? channel : 0];
    switch (av_get_packed_sample_fmt(format)) {
        case AV_SAMPLE_FMT_FLT: {
            float v = 0.0F;
            std::memcpy(&v, plane + static_cast<std::ptrdiff_t>(index) * 4, sizeof v);
            return v;
        }
        case AV_SAMPLE_FMT_S32: {
            std::int32_t v = 0;
            std::memcpy(&v, plane + static_cast<std::ptrdiff_t>(index) * 4, sizeof v);
            return static_cast<float>(v) / 2147483648.0F;
        }
        default: {
            std::int16_t v = 0;
            std::memcpy(&v, plane + static_cast<std::ptrdiff_t>(index) * 2, sizeof v);
            return static_cast<float>(v) / 32768.0F;
        }
    }
}
void set_sample(AVFrame& frame, int channel, int i, float value) {
    const auto format = static_cast<AVSampleFormat>(frame.format);
    const bool planar = av_sample_fmt_is_planar(format) != 0;
    const int index = planar ? i : i * frame.ch_layout.nb_channels + channel;
    std::uint8_t* plane = frame.extended_data[planar ? channel : 0];
    if (av_get_packed_sample_fmt(format) == AV_SAMPLE_FMT_FLT) {
        std::memcpy(plane + static_cast<std::ptrdiff_t>(index) * 4, &value, sizeof value);
    } else {
        const auto v = static_cast<std::int16_t>(std::lround(std::clamp(value, -1.0F, 1.0F) * 32767.0F));
        std::memcpy(plane + static_cast<std::ptrdiff_t>(index) * 2, &v, sizeof v);
    }
}

// Encoder and decoder of one sound.
class RoundTrip {
  public:
    static Result<RoundTrip> open(const CodecDraw& draw) {
        const AVCodec* encoder = avcodec_find_encoder_by_name(draw.encoder);
        const AVCodec* decoder = encoder != nullptr ? avcodec_find_decoder(encoder->id) : nullptr;
        const auto missing = [&] {
            return make_error(ErrorKind::NotFound, "libavcodec has no encoder {} for {} Hz.", draw.encoder,
                              draw.sample_rate);
        };
        if (decoder == nullptr) return missing();
        RoundTrip trip;
        trip.encoder_.reset(avcodec_alloc_context3(encoder));
        auto& c = *trip.encoder_;
        c.sample_rate = draw.sample_rate;
        c.bit_rate = draw.bit_rate;
        c.sample_fmt = encoder->sample_fmts[0];
        for (const auto* f = encoder->sample_fmts; *f != AV_SAMPLE_FMT_NONE; ++f) {
            if (av_get_packed_sample_fmt(*f) == AV_SAMPLE_FMT_FLT ||
                av_get_packed_sample_fmt(*f) == AV_SAMPLE_FMT_S16) {
                c.sample_fmt = *f;
                break;
            }
        }
        av_channel_layout_default(&c.ch_layout, draw.channels);
        if (avcodec_open2(&c, encoder, nullptr) < 0) return missing();
        trip.decoder_.reset(avcodec_alloc_context3(decoder));
        auto& d = *trip.decoder_;
        d.sample_rate = draw.sample_rate;
        av_channel_layout_default(&d.ch_layout, draw.channels);
        d.bits_per_coded_sample = c.bits_per_coded_sample;
        if (c.extradata_size > 0) {
            d.extradata = static_cast<std::uint8_t*>(
                av_mallocz(static_cast<std::size_t>(c.extradata_size) + AV_INPUT_BUFFER_PADDING_SIZE));
            std::memcpy(d.extradata, c.extradata, static_cast<std::size_t>(c.extradata_size));
            d.extradata_size = c.extradata_size;
        }
        if (avcodec_open2(&d, decoder, nullptr) < 0) return missing();
        trip.packet_.reset(av_packet_alloc());
        trip.decoded_.reset(av_frame_alloc());
        return trip;
    }

    std::vector<std::vector<float>> run(std::span<const std::vector<float>> channels) {
        out_.assign(channels.size(), {});
        const int size = encoder_->frame_size > 0 ? encoder_->frame_size : 1024;
        const auto frames = static_cast<std::int64_t>(channels[0].size());
        // Behind the end comes silence enough to push the last of it through.
        for (std::int64_t at = 0; at < frames + 8192; at += size) {
            const Frame frame(av_frame_alloc());
            frame->nb_samples = size;
            frame->format = encoder_->sample_fmt;
            frame->sample_rate = encoder_->sample_rate;
            av_channel_layout_copy(&frame->ch_layout, &encoder_->ch_layout);
            if (av_frame_get_buffer(frame.get(), 0) < 0) return {};
            for (int c = 0; c < frame->ch_layout.nb_channels; ++c) {
                for (int i = 0; i < size; ++i) {
                    const std::int64_t from = at + i;
                    set_sample(*frame, c, i,
                               from < frames
                                   ? channels[static_cast<std::size_t>(c)][static_cast<std::size_t>(from)]
                                   : 0.0F);
                }
            }
            frame->pts = at;
            send(frame.get());
        }
        send(nullptr);
        return std::move(out_);
    }

  private:
    void send(const AVFrame* frame) {
        if (avcodec_send_frame(encoder_.get(), frame) < 0) return;
        while (avcodec_receive_packet(encoder_.get(), packet_.get()) >= 0) {
            if (avcodec_send_packet(decoder_.get(), packet_.get()) >= 0) receive();
            av_packet_unref(packet_.get());
        }
        if (frame == nullptr && avcodec_send_packet(decoder_.get(), nullptr) >= 0) receive();
    }
    void receive() {
        while (avcodec_receive_frame(decoder_.get(), decoded_.get()) >= 0) {
            const int there = decoded_->ch_layout.nb_channels;
            for (std::size_t c = 0; c < out_.size(); ++c) {
                for (int i = 0; i < decoded_->nb_samples; ++i)
                    out_[c].push_back(sample_of(*decoded_, std::min(static_cast<int>(c), there - 1), i));
            }
        }
    }
    Codec encoder_, decoder_;
    Packet packet_;
    Frame decoded_;
    std::vector<std::vector<float>> out_;
};

// Samples by which `late` lags behind `early` (-1000 to 8000): where their product over the loudest second is
// largest.
std::ptrdiff_t lag_of(std::span<const float> late, std::span<const float> early) {
    constexpr std::ptrdiff_t kEarliest = -1000;
    constexpr std::ptrdiff_t kLatest = 8000;
    const auto size = static_cast<std::ptrdiff_t>(early.size());
    const std::ptrdiff_t count = std::min<std::ptrdiff_t>(kCorpusRate / 2, size / 2);
    std::ptrdiff_t from = 0;
    double loudest = -1.0;
    for (std::ptrdiff_t at = 0; at + count <= size; at += count / 2) {
        double energy = 0.0;
        for (std::ptrdiff_t i = at; i < at + count; ++i)
            energy += static_cast<double>(early[static_cast<std::size_t>(i)]) *
                      static_cast<double>(early[static_cast<std::size_t>(i)]);
        if (energy > loudest) {
            loudest = energy;
            from = at;
        }
    }
    // Correlation at all lags at once, as a product of spectra.
    const std::ptrdiff_t span = count + kLatest - kEarliest;
    std::size_t fft_size = 1024;
    while (fft_size < static_cast<std::size_t>(span + count)) fft_size *= 2;
    std::vector<float> window(static_cast<std::size_t>(span), 0.0F);
    for (std::ptrdiff_t i = 0; i < span; ++i) {
        const std::ptrdiff_t at = from + kEarliest + i;
        if (at >= 0 && at < static_cast<std::ptrdiff_t>(late.size()))
            window[static_cast<std::size_t>(i)] = late[static_cast<std::size_t>(at)];
    }
    RealFft fft(fft_size);
    fft.forward(early.subspan(static_cast<std::size_t>(from), static_cast<std::size_t>(count)));
    const std::vector<std::complex<float>> pattern(fft.bins().begin(), fft.bins().end());
    fft.forward(window);
    for (std::size_t k = 0; k < pattern.size(); ++k) fft.bins()[k] *= std::conj(pattern[k]);
    fft.inverse();
    const auto products =
        std::span<const float>(fft.time()).first(static_cast<std::size_t>(kLatest - kEarliest + 1));
    const std::ptrdiff_t best = std::ranges::max_element(products) - products.begin() + kEarliest;
    return best;
}

}  // namespace

CodecDraw random_codec(Rng& rng) {
    const double what = rng.uniform();
    const auto pick = [&](std::initializer_list<std::int64_t> rates) {
        return *(rates.begin() + static_cast<std::ptrdiff_t>(rng.below(rates.size())));
    };
    if (what < 0.35) return {"libmp3lame", 48000, 2, pick({32000, 48000, 64000, 96000, 128000})};
    if (what < 0.6) return {"aac", 48000, 2, pick({24000, 40000, 64000, 96000})};
    if (what < 0.85) return {"libopus", 48000, 2, pick({12000, 16000, 24000, 48000})};
    if (what < 0.95) return {"libgsm", 8000, 1, 13000};
    return {"g726", 8000, 1, 32000};
}

Status codecs_are_there() {
    for (const CodecDraw& draw : {CodecDraw{"libmp3lame", 48000, 2, 64000}, CodecDraw{"aac", 48000, 2, 64000},
                                  CodecDraw{"libopus", 48000, 2, 24000}, CodecDraw{"libgsm", 8000, 1, 13000},
                                  CodecDraw{"g726", 8000, 1, 32000}}) {
        if (auto trip = RoundTrip::open(draw); !trip) return trip.error();
    }
    return {};
}

Result<Stereo> through_codec(const Stereo& sound, const CodecDraw& codec) {
    av_log_set_level(
        AV_LOG_FATAL);  // codecs tell about padding and quality; what matters comes back as an error
    auto trip = RoundTrip::open(codec);
    if (!trip) return trip.error();
    std::vector<std::vector<float>> in(static_cast<std::size_t>(codec.channels));
    in[0] = sound[0];
    if (codec.channels == 2) {
        in[1] = sound[1];
    } else {
        for (std::size_t i = 0; i < in[0].size(); ++i) in[0][i] = 0.5F * (sound[0][i] + sound[1][i]);
    }
    // Full scale is left some room, which coding needs.
    float peak = 1e-6F;
    for (const auto& channel : in) {
        for (const float v : channel) peak = std::max(peak, std::abs(v));
    }
    const float scale = 0.7F / peak;
    const auto reference = in[0];
    for (auto& channel : in) {
        for (float& v : channel) v *= scale;
        if (codec.sample_rate != kCorpusRate) channel = resample(channel, kCorpusRate, codec.sample_rate);
    }
    auto out = trip->run(in);
    if (out.empty() || out[0].empty())
        return make_error(ErrorKind::Internal, "The codec {} gave nothing back.", codec.encoder);
    Stereo result;
    for (auto& channel : out) {
        if (codec.sample_rate != kCorpusRate) channel = resample(channel, codec.sample_rate, kCorpusRate);
    }
    const std::ptrdiff_t lag = lag_of(out[0], reference);
    for (std::size_t c = 0; c < 2; ++c) {
        const auto& from = out[std::min(c, out.size() - 1)];
        result[c].assign(sound[c].size(), 0.0F);
        for (std::size_t i = 0; i < result[c].size(); ++i) {
            const std::ptrdiff_t at = static_cast<std::ptrdiff_t>(i) + lag;
            if (at >= 0 && at < static_cast<std::ptrdiff_t>(from.size()))
                result[c][i] = from[static_cast<std::size_t>(at)] / scale;
        }
    }
    return result;
}

}  // namespace rivlen::learn
