// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/media/sound_file.h"

#include <fcntl.h>
#include <unistd.h>

#include <cerrno>
#include <cmath>
#include <optional>

#include "core/base/output_file.h"
#include "core/media/sndfile_output.h"

namespace rivlen {

namespace fs = std::filesystem;

struct SoundFileWriter::State {
    int fd = -1;
    std::optional<SndfileOutput> file;
    fs::path target, partial;
    int channels = 0;
    std::vector<float> interleaved;
    std::uint64_t over = 0;

    ~State() {
        file.reset();
        if (fd >= 0) ::close(fd);
        std::error_code ignored;
        if (!partial.empty()) fs::remove(partial, ignored);
    }
};

SoundFormat format_for(const std::filesystem::path& file) {
    return file.extension() == extension_of(SoundFormat::Flac24) ? SoundFormat::Flac24
                                                                 : SoundFormat::WavFloat;
}

const char* extension_of(SoundFormat format) {
    return format == SoundFormat::Flac24 ? ".flac" : ".wav";
}

SoundFileWriter::SoundFileWriter(std::unique_ptr<State> state) : state_(std::move(state)) {}
SoundFileWriter::SoundFileWriter(SoundFileWriter&&) noexcept = default;
SoundFileWriter& SoundFileWriter::operator=(SoundFileWriter&&) noexcept = default;
SoundFileWriter::~SoundFileWriter() = default;

Result<SoundFileWriter> SoundFileWriter::create(const fs::path& target, SoundFormat format, int sample_rate,
                                                int channels) {
    SF_INFO info{};
    info.samplerate = sample_rate;
    info.channels = channels;
    switch (format) {
        case SoundFormat::WavFloat:
            info.format = SF_FORMAT_RF64 | SF_FORMAT_FLOAT;
            break;
        case SoundFormat::Wav24:
            info.format = SF_FORMAT_RF64 | SF_FORMAT_PCM_24;
            break;
        case SoundFormat::Flac24:
            info.format = SF_FORMAT_FLAC | SF_FORMAT_PCM_24;
            break;
    }
    if (sf_format_check(&info) == 0) {
        return make_error(ErrorKind::Unsupported,
                          "This file format cannot hold {} channels at {} Hz. Choose WAV, 32-bit float.",
                          channels, sample_rate);
    }
    auto state = std::make_unique<State>();
    state->target = target;
    state->partial = partial_path(target);
    state->channels = channels;
    state->fd = ::open(state->partial.c_str(), O_RDWR | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, 0666);
    if (state->fd < 0) {
        state->partial.clear();
        return write_error(target, errno);
    }
    state->file.emplace(state->fd);
    if (state->file->open(info) == nullptr)
        return write_error(target, state->file->error() != 0 ? state->file->error() : EIO);
    // Becomes a plain WAV on closing unless it has outgrown 4 GB; values beyond full scale are clipped, not
    // wrapped.
    sf_command(state->file->get(), SFC_RF64_AUTO_DOWNGRADE, nullptr, SF_TRUE);
    sf_command(state->file->get(), SFC_SET_CLIPPING, nullptr, SF_TRUE);
    return SoundFileWriter(std::move(state));
}

Status SoundFileWriter::write(std::span<const std::vector<float>> channels) {
    State& s = *state_;
    const std::size_t frames = channels.empty() ? 0 : channels[0].size();
    s.interleaved.resize(frames * channels.size());
    for (std::size_t c = 0; c < channels.size(); ++c) {
        for (std::size_t i = 0; i < frames; ++i) {
            const float x = channels[c][i];
            if (std::abs(x) > 1.0F) ++s.over;
            s.interleaved[i * channels.size() + c] = x;
        }
    }
    if (sf_writef_float(s.file->get(), s.interleaved.data(), static_cast<sf_count_t>(frames)) !=
        static_cast<sf_count_t>(frames)) {
        return write_error(s.target, s.file->error() != 0 ? s.file->error() : EIO);
    }
    return {};
}

void SoundFileWriter::keep_readable() {
    sf_command(state_->file->get(), SFC_UPDATE_HEADER_NOW, nullptr, 0);
}

std::uint64_t SoundFileWriter::over_full_scale() const {
    return state_->over;
}

Result<CompleteFile> SoundFileWriter::complete() {
    State& s = *state_;
    if (const int failed = s.file->close(); failed != 0) return write_error(s.target, failed);
    if (::fsync(s.fd) != 0) return write_error(s.target, errno);
    return CompleteFile{std::exchange(s.partial, {}), s.target};
}

Status SoundFileWriter::commit() {
    const auto file = complete();
    if (!file) return file.error();
    return publish(file->partial, file->target);
}

Status SoundFileWriter::commit_what_is_there() {
    State& s = *state_;
    (void)s.file->close();  // what it could not write is known already
    const fs::path partial = std::exchange(s.partial, {});
    return publish(partial, s.target);
}

}  // namespace rivlen
