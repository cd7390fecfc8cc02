// SPDX-License-Identifier: GPL-3.0-or-later
// Ownership of libav* objects. Included by .cpp files only: those of core/media, and of learn/ where sound is
// coded for learning.
#pragma once

extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
#include <libavutil/channel_layout.h>
#include <libavutil/imgutils.h>
#include <libavutil/opt.h>
#include <libswresample/swresample.h>
#include <libswscale/swscale.h>
}

#include <atomic>
#include <filesystem>
#include <memory>
#include <string>

#include "core/base/result.h"

namespace rivlen::libav {

struct InputCloser {
    void operator()(AVFormatContext* context) const { avformat_close_input(&context); }
};
// Closes the file that is written, unless its bytes go elsewhere.
struct MuxerCloser {
    void operator()(AVFormatContext* context) const {
        if ((context->flags & AVFMT_FLAG_CUSTOM_IO) == 0 && context->pb != nullptr) avio_closep(&context->pb);
        avformat_free_context(context);
    }
};
struct CodecCloser {
    void operator()(AVCodecContext* context) const { avcodec_free_context(&context); }
};
struct FrameCloser {
    void operator()(AVFrame* frame) const { av_frame_free(&frame); }
};
struct PacketCloser {
    void operator()(AVPacket* packet) const { av_packet_free(&packet); }
};
struct ResampleCloser {
    void operator()(SwrContext* context) const { swr_free(&context); }
};
struct ScaleCloser {
    void operator()(SwsContext* context) const { sws_freeContext(context); }
};
using Input = std::unique_ptr<AVFormatContext, InputCloser>;
using Muxer = std::unique_ptr<AVFormatContext, MuxerCloser>;
using Codec = std::unique_ptr<AVCodecContext, CodecCloser>;
using Frame = std::unique_ptr<AVFrame, FrameCloser>;
using Packet = std::unique_ptr<AVPacket, PacketCloser>;
using Resample = std::unique_ptr<SwrContext, ResampleCloser>;
using Scale = std::unique_ptr<SwsContext, ScaleCloser>;

[[nodiscard]] std::string error_text(int code);

// Opens a file and reads its stream facts. stop: when it becomes true, whatever reads from the input gives up
// at the next piece of the file; it outlives the input. Errors: NotFound, BadInput with a sentence;
// Cancelled.
[[nodiscard]] Result<Input> open_input(const std::filesystem::path& path,
                                       const std::atomic<bool>* stop = nullptr);
// Opens the decoder of one stream. Errors: Unsupported.
[[nodiscard]] Result<Codec> open_decoder(const AVStream& stream, int threads);
// The first picture stream that is not cover art; -1 when there is none.
[[nodiscard]] int picture_stream(const AVFormatContext& input);
// Seconds at which a stream starts on the container's clock; 0 when unknown.
[[nodiscard]] double start_seconds(const AVStream& stream);

}  // namespace rivlen::libav
