// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/media/picture.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/media/libav.h"

namespace rivlen {

struct PictureReader::State {
    std::filesystem::path path;
    libav::Input input;
    libav::Codec codec;
    libav::Scale scale;
    libav::Packet packet{av_packet_alloc()};
    libav::Frame current{av_frame_alloc()};  // the frame shown at `current_seconds`
    libav::Frame coming{av_frame_alloc()};   // the one after it, already decoded
    int stream = -1;
    double start = 0;
    double current_seconds = -1;
    double coming_seconds = -1;
    bool has_current = false, has_coming = false, ended = false;

    // Decodes the next frame into `coming`; false at the end.
    bool advance() {
        while (true) {
            const int received = avcodec_receive_frame(codec.get(), coming.get());
            if (received == 0) {
                const std::int64_t pts = coming->best_effort_timestamp;
                coming_seconds =
                    pts == AV_NOPTS_VALUE
                        ? current_seconds + 0.04
                        : static_cast<double>(pts) * av_q2d(input->streams[stream]->time_base) - start;
                has_coming = true;
                return true;
            }
            if (received == AVERROR_EOF || ended) return false;
            while (true) {
                if (av_read_frame(input.get(), packet.get()) < 0) {
                    avcodec_send_packet(codec.get(), nullptr);
                    ended = true;
                    break;
                }
                const bool ours = packet->stream_index == stream;
                if (ours) avcodec_send_packet(codec.get(), packet.get());
                av_packet_unref(packet.get());
                if (ours) break;
            }
        }
    }

    void seek(double seconds) {
        const AVStream& s = *input->streams[stream];
        const auto target = static_cast<std::int64_t>((std::max(seconds, 0.0) + start) / av_q2d(s.time_base));
        av_seek_frame(input.get(), stream, target, AVSEEK_FLAG_BACKWARD);
        avcodec_flush_buffers(codec.get());
        has_current = has_coming = ended = false;
    }

    void show_coming() {
        std::swap(current, coming);
        current_seconds = coming_seconds;
        has_current = true;
        has_coming = false;
        av_frame_unref(coming.get());
    }
};

PictureReader::PictureReader(std::unique_ptr<State> state) : state_(std::move(state)) {}
PictureReader::PictureReader(PictureReader&&) noexcept = default;
PictureReader& PictureReader::operator=(PictureReader&&) noexcept = default;
PictureReader::~PictureReader() = default;

Result<PictureReader> PictureReader::open(const std::filesystem::path& path) {
    auto input = libav::open_input(path);
    if (!input) return input.error();
    auto state = std::make_unique<State>();
    state->path = path;
    state->input = std::move(*input);
    state->stream = libav::picture_stream(*state->input);
    if (state->stream < 0) {
        return make_error(ErrorKind::BadInput, "\"{}\" has no picture in it. Choose a file with a picture.",
                          path.string());
    }
    for (unsigned i = 0; i < state->input->nb_streams; ++i) {
        state->input->streams[i]->discard =
            static_cast<int>(i) == state->stream ? AVDISCARD_DEFAULT : AVDISCARD_ALL;
    }
    const AVStream& stream = *state->input->streams[state->stream];
    state->start = libav::start_seconds(stream);
    auto codec = libav::open_decoder(stream, 1);
    if (!codec) return codec.error();
    state->codec = std::move(*codec);
    return PictureReader(std::move(state));
}

Result<PictureFrame> PictureReader::frame_at(double seconds, int box_width, int box_height) {
    State& s = *state_;
    constexpr double kForward = 1.5;
    constexpr double kHair = 1e-4;  // times come as rounded fractions
    if (!s.has_current || seconds < s.current_seconds - kHair || seconds > s.current_seconds + kForward)
        s.seek(seconds);
    while (true) {
        if (!s.has_coming && !s.advance()) break;
        if (s.has_current && s.coming_seconds > seconds + kHair) break;
        s.show_coming();
    }
    if (!s.has_current) {
        return make_error(
            ErrorKind::BadInput,
            "The picture of \"{}\" cannot be decoded here. Copy the file again if it is needed.",
            s.path.string());
    }
    const AVFrame& frame = *s.current;
    AVRational shape = frame.sample_aspect_ratio;
    if (shape.num <= 0 || shape.den <= 0) shape = {1, 1};
    const double full_width = static_cast<double>(frame.width) * shape.num / shape.den;
    const double fit = std::min(box_width / full_width, static_cast<double>(box_height) / frame.height);
    PictureFrame out;
    out.width = std::max(2, static_cast<int>(full_width * fit));
    out.height = std::max(2, static_cast<int>(frame.height * fit));
    out.seconds = s.current_seconds;
    s.scale.reset(sws_getCachedContext(s.scale.release(), frame.width, frame.height,
                                       static_cast<AVPixelFormat>(frame.format), out.width, out.height,
                                       AV_PIX_FMT_RGB24, SWS_BILINEAR, nullptr, nullptr, nullptr));
    if (!s.scale)
        return make_error(ErrorKind::Unsupported, "The picture of \"{}\" has a form that cannot be shown.",
                          s.path.string());
    // swscale writes whole vectors: rows get room for them and are packed afterwards.
    const int stride = (out.width * 3 + 63) / 64 * 64;
    std::vector<std::uint8_t> padded(static_cast<std::size_t>(stride) * static_cast<std::size_t>(out.height) +
                                     64);
    const std::array<std::uint8_t*, 1> planes = {padded.data()};
    const std::array<int, 1> strides = {stride};
    sws_scale(s.scale.get(), frame.data, frame.linesize, 0, frame.height, planes.data(), strides.data());
    const auto row = static_cast<std::size_t>(out.width) * 3;
    out.rgb.resize(row * static_cast<std::size_t>(out.height));
    for (std::size_t y = 0; y < static_cast<std::size_t>(out.height); ++y) {
        std::copy_n(padded.begin() + static_cast<std::ptrdiff_t>(y * static_cast<std::size_t>(stride)), row,
                    out.rgb.begin() + static_cast<std::ptrdiff_t>(y * row));
    }
    return out;
}

}  // namespace rivlen
