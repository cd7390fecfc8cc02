// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/media/coded_file.h"

#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <memory>

#include "core/base/output_file.h"
#include "core/media/sound_encoder.h"

namespace rivlen {

namespace {

namespace fs = std::filesystem;

struct KindInfo {
    AVCodecID codec;
    std::int64_t bit_rate;
    const char* container;
};
const KindInfo& info(CodedKind kind) {
    static constexpr std::array<KindInfo, 3> kKinds = {{{AV_CODEC_ID_OPUS, 160000, "ogg"},
                                                        {AV_CODEC_ID_MP3, 256000, "mp3"},
                                                        {AV_CODEC_ID_AAC, 256000, "ipod"}}};
    return kKinds[static_cast<std::size_t>(kind)];
}

// The muxer's way to an open file; remembers what the system said when writing failed.
class FileIo {
  public:
    explicit FileIo(int fd) : fd_(fd) {
        constexpr int kBuffer = 1 << 16;
        auto* buffer = static_cast<std::uint8_t*>(av_malloc(kBuffer));
        io_.reset(avio_alloc_context(buffer, kBuffer, 1, this, nullptr, &FileIo::write, &FileIo::seek));
    }
    [[nodiscard]] AVIOContext* get() { return io_.get(); }
    [[nodiscard]] int error() const { return error_; }

  private:
    struct Closer {
        void operator()(AVIOContext* io) const {
            av_freep(&io->buffer);
            avio_context_free(&io);
        }
    };
    static int write(void* self, std::uint8_t* bytes, int size) {
        auto& io = *static_cast<FileIo*>(self);
        for (int done = 0; done < size;) {
            const auto written = ::write(io.fd_, bytes + done, static_cast<std::size_t>(size - done));
            if (written < 0 && errno == EINTR) continue;
            if (written < 0) {
                io.error_ = errno;
                return AVERROR(errno);
            }
            done += static_cast<int>(written);
        }
        return size;
    }
    static std::int64_t seek(void* self, std::int64_t offset, int whence) {
        auto& io = *static_cast<FileIo*>(self);
        if (whence == AVSEEK_SIZE) return AVERROR(ENOSYS);
        const auto at = ::lseek(io.fd_, offset, whence & ~AVSEEK_FORCE);
        return at < 0 ? AVERROR(errno) : at;
    }
    int fd_;
    int error_ = 0;
    std::unique_ptr<AVIOContext, Closer> io_;
};

// Ogg has its tags at the stream, the others at the file.
void set_tags(AVFormatContext& muxer, AVStream& stream, CodedKind kind, const Tags& tags) {
    AVDictionary*& where = kind == CodedKind::Opus ? stream.metadata : muxer.metadata;
    for (const auto& [key, value] : tags) av_dict_set(&where, key.c_str(), value.c_str(), 0);
}

Status write_packets(AVFormatContext& muxer, AVStream& stream, libav::SoundEncoder& encoder,
                     const CodedSound& sound, const JobControl& job, int& code) {
    const libav::Packet packet(av_packet_alloc());
    while (true) {
        if (job.cancelled()) return JobControl::cancelled_error();
        auto more = encoder.next(*packet);
        if (!more) return more.error();
        if (!*more) return {};
        job.report(
            std::clamp(static_cast<double>(packet->pts) / static_cast<double>(sound.frames), 0.0, 1.0));
        av_packet_rescale_ts(packet.get(), {1, sound.sample_rate}, stream.time_base);
        packet->stream_index = stream.index;
        if (code = av_interleaved_write_frame(&muxer, packet.get()); code < 0) return {};
    }
}

}  // namespace

int bit_rate_of(CodedKind kind, int channels) {
    return static_cast<int>(info(kind).bit_rate) * std::max(channels, 2) / 2;
}

int coded_rate(CodedKind kind, int sample_rate) {
    const AVCodec* encoder = kind == CodedKind::Opus ? avcodec_find_encoder_by_name("libopus")
                                                     : avcodec_find_encoder(info(kind).codec);
    if (encoder == nullptr || encoder->supported_samplerates == nullptr) return sample_rate;
    int next = 0;
    int highest = 0;
    for (const int* rate = encoder->supported_samplerates; *rate != 0; ++rate) {
        highest = std::max(highest, *rate);
        if (*rate >= sample_rate && (next == 0 || *rate < next)) next = *rate;
    }
    return next != 0 ? next : highest;
}

Status write_coded(const CodedSound& sound, CodedKind kind, const Tags& tags, int fd, const fs::path& target,
                   const JobControl& job) {
    AVFormatContext* raw = nullptr;
    avformat_alloc_output_context2(&raw, nullptr, info(kind).container, nullptr);
    if (raw == nullptr)
        return make_error(ErrorKind::Unsupported,
                          "This system cannot write {} files. Choose another kind of file.",
                          info(kind).container);
    const libav::Muxer muxer(raw);
    auto codec = libav::open_sound_encoder(info(kind).codec, sound.sample_rate, sound.channels,
                                           bit_rate_of(kind, sound.channels),
                                           (raw->oformat->flags & AVFMT_GLOBALHEADER) != 0);
    if (!codec) return codec.error();
    AVStream* stream = avformat_new_stream(raw, nullptr);
    avcodec_parameters_from_context(stream->codecpar, codec->get());
    stream->time_base = {1, sound.sample_rate};
    set_tags(*raw, *stream, kind, tags);
    FileIo io(fd);
    raw->pb = io.get();
    raw->flags |= AVFMT_FLAG_CUSTOM_IO;
    AVDictionary* options = nullptr;
    if (kind == CodedKind::Mp3) av_dict_set(&options, "id3v2_version", "3", 0);
    int code = avformat_write_header(raw, &options);
    av_dict_free(&options);
    const auto next = [&sound, at = std::int64_t{0}](std::int64_t count, AudioBlock& out) mutable -> Status {
        count = std::min(count, sound.frames - at);
        if (auto status = sound.read(at, count, out); !status) return status;
        at += count;
        return {};
    };
    libav::SoundEncoder encoder(std::move(*codec), next);
    if (code >= 0) {
        if (auto status = write_packets(*raw, *stream, encoder, sound, job, code); !status) return status;
    }
    if (code >= 0) code = av_write_trailer(raw);
    avio_flush(raw->pb);
    if (code >= 0) code = raw->pb->error;
    if (code < 0 || io.error() != 0)
        return write_error(target, io.error() != 0 ? io.error() : AVUNERROR(code));
    return {};
}

}  // namespace rivlen
