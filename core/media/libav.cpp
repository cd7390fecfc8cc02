// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/media/libav.h"

#include <array>
#include <new>

#include "core/base/job.h"

namespace rivlen::libav {

namespace fs = std::filesystem;

namespace {

// What recordings and pictures come in, by the names of libavformat's demuxers.
constexpr const char* kContainers =
    "aac,ac3,aiff,amr,amrnb,amrwb,ape,asf,au,avi,caf,dts,dv,eac3,flac,flv,g722,gsm,gxf,m4v,matroska,webm,mov,"
    "mp4,m4a,3gp,"
    "3g2,mj2,mp3,mpc,mpc8,mpeg,mpegts,mpegvideo,mxf,nut,oga,ogg,oma,opus,sox,tta,voc,w64,wav,wtv,wv";

int stopped(void* stop) {
    return stop != nullptr && static_cast<const std::atomic<bool>*>(stop)->load() ? 1 : 0;
}

}  // namespace

std::string error_text(int code) {
    std::array<char, AV_ERROR_MAX_STRING_SIZE> text{};
    av_strerror(code, text.data(), text.size());
    return text.data();
}

Result<Input> open_input(const fs::path& path, const std::atomic<bool>* stop) {
    av_log_set_level(AV_LOG_QUIET);  // our own sentences take the place of libav's
    std::error_code error;
    const auto status = fs::status(path, error);
    if (!fs::exists(status)) {
        return make_error(ErrorKind::NotFound, "There is no file \"{}\". Check the name and the folder.",
                          path.string());
    }
    if (fs::is_directory(status)) {
        return make_error(ErrorKind::BadInput, "\"{}\" is a folder. Choose a file in it.", path.string());
    }
    if (fs::is_regular_file(status) && fs::file_size(path, error) == 0) {
        return make_error(ErrorKind::BadInput,
                          "\"{}\" is empty. Copy the recording again or choose another file.", path.string());
    }
    if (!fs::is_regular_file(status)) {
        return make_error(ErrorKind::BadInput, "\"{}\" is a device or a pipe. Choose a file.", path.string());
    }
    AVFormatContext* raw = avformat_alloc_context();
    if (raw == nullptr) throw std::bad_alloc();
    // libav wants a pointer to what may change; nothing is changed through it.
    raw->interrupt_callback = {
        stopped, const_cast<std::atomic<bool>*>(stop)};  // NOLINT(cppcoreguidelines-pro-type-const-cast)
    AVDictionary* options = nullptr;
    // Nothing that leads to other files: play lists and the like would be read as the recording.
    av_dict_set(&options, "format_whitelist", kContainers, 0);
    av_dict_set(&options, "protocol_whitelist", "file", 0);
    // "file:" keeps a colon in a name from being read as a protocol.
    const std::string url = "file:" + path.string();
    const int code = avformat_open_input(&raw, url.c_str(), nullptr, &options);
    av_dict_free(&options);
    if (code == AVERROR_EXIT) return JobControl::cancelled_error();
    if (code < 0) {
        if (code == AVERROR(EACCES)) {
            return make_error(ErrorKind::Io, "You may not read \"{}\". Change its permissions or copy it.",
                              path.string());
        }
        return make_error(
            ErrorKind::BadInput,
            "\"{}\" is not a sound or picture file that Rivlen can read ({}). Choose another file, or "
            "convert it to WAV first.",
            path.string(), error_text(code));
    }
    Input input(raw);
    const int found = avformat_find_stream_info(input.get(), nullptr);
    if (stop != nullptr && *stop) return JobControl::cancelled_error();
    if (found < 0) {
        return make_error(ErrorKind::BadInput, "\"{}\" is damaged and cannot be read ({}). Copy it again.",
                          path.string(), error_text(found));
    }
    return input;
}

Result<Codec> open_decoder(const AVStream& stream, int threads) {
    const AVCodec* decoder = avcodec_find_decoder(stream.codecpar->codec_id);
    if (decoder == nullptr) {
        return make_error(ErrorKind::Unsupported,
                          "There is no decoder for the coding \"{}\" in this file. Convert it to WAV first.",
                          avcodec_get_name(stream.codecpar->codec_id));
    }
    Codec codec(avcodec_alloc_context3(decoder));
    avcodec_parameters_to_context(codec.get(), stream.codecpar);
    codec->pkt_timebase = stream.time_base;
    codec->thread_count = threads;
    // A few bytes may claim a picture that no memory holds.
    constexpr std::int64_t kMostPixels = std::int64_t{1} << 27;
    codec->max_pixels = kMostPixels;
    if (const int code = avcodec_open2(codec.get(), decoder, nullptr); code < 0) {
        return make_error(ErrorKind::Unsupported,
                          "The decoder \"{}\" refuses this file ({}). Convert it to WAV first.",
                          decoder->name, error_text(code));
    }
    return codec;
}

int picture_stream(const AVFormatContext& input) {
    for (unsigned i = 0; i < input.nb_streams; ++i) {
        const AVStream& stream = *input.streams[i];
        if (stream.codecpar->codec_type == AVMEDIA_TYPE_VIDEO &&
            (stream.disposition & (AV_DISPOSITION_ATTACHED_PIC | AV_DISPOSITION_STILL_IMAGE)) == 0) {
            return static_cast<int>(i);
        }
    }
    return -1;
}

double start_seconds(const AVStream& stream) {
    if (stream.start_time == AV_NOPTS_VALUE) return 0.0;
    return static_cast<double>(stream.start_time) * av_q2d(stream.time_base);
}

}  // namespace rivlen::libav
