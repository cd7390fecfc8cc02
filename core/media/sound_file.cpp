// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/media/sound_file.h"

#include <fcntl.h>
#include <sndfile.h>
#include <unistd.h>

#include <cerrno>
#include <cmath>

#include "core/base/output_file.h"

namespace rivlen {

namespace fs = std::filesystem;

struct SoundFileWriter::State {
    struct Closer {
        void operator()(SNDFILE* file) const { sf_close(file); }
    };
    std::unique_ptr<SNDFILE, Closer> file;
    fs::path target, partial;
    int channels = 0;
    std::vector<float> interleaved;
    std::uint64_t over = 0;

    ~State() {
        file.reset();
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
    errno = 0;
    state->file.reset(sf_open(state->partial.c_str(), SFM_WRITE, &info));
    if (!state->file) {
        state->partial.clear();
        return write_error(target, errno != 0 ? errno : EIO);
    }
    // Becomes a plain WAV on closing unless it has outgrown 4 GB; values beyond full scale are clipped, not
    // wrapped.
    sf_command(state->file.get(), SFC_RF64_AUTO_DOWNGRADE, nullptr, SF_TRUE);
    sf_command(state->file.get(), SFC_SET_CLIPPING, nullptr, SF_TRUE);
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
    errno = 0;
    if (sf_writef_float(s.file.get(), s.interleaved.data(), static_cast<sf_count_t>(frames)) !=
        static_cast<sf_count_t>(frames)) {
        return write_error(s.target, errno != 0 ? errno : EIO);
    }
    return {};
}

std::uint64_t SoundFileWriter::over_full_scale() const {
    return state_->over;
}

Status SoundFileWriter::commit() {
    State& s = *state_;
    errno = 0;
    sf_write_sync(s.file.get());
    const int failed = sf_error(s.file.get());
    const int reason = errno;
    s.file.reset();
    // Closing writes the last block and the head; a full disk may show itself only now, as a file that cannot
    // be synced.
    const int fd = ::open(s.partial.c_str(), O_RDWR | O_CLOEXEC);
    const bool synced = fd >= 0 && ::fsync(fd) == 0;
    if (fd >= 0) ::close(fd);
    if (failed != 0 || !synced) return write_error(s.target, reason != 0 ? reason : EIO);
    const fs::path partial = std::exchange(s.partial, {});
    return publish(partial, s.target);
}

}  // namespace rivlen
