// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/media/sndfile_output.h"

#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>

namespace rivlen {

SNDFILE* SndfileOutput::open(SF_INFO& info) {
    SF_VIRTUAL_IO calls{length, seek, read, write, tell};
    file_.reset(sf_open_virtual(&calls, SFM_WRITE, &info, this));
    return file_.get();
}

int SndfileOutput::close() {
    if (file_) sf_write_sync(file_.get());
    const bool failed = file_ && sf_error(file_.get()) != 0;
    file_.reset();
    if (failed && error_ == 0) error_ = EIO;
    return error_;
}

sf_count_t SndfileOutput::length(void* self) {
    struct stat facts {};
    return ::fstat(static_cast<SndfileOutput*>(self)->fd_, &facts) == 0 ? facts.st_size : -1;
}

sf_count_t SndfileOutput::seek(sf_count_t offset, int whence, void* self) {
    return ::lseek(static_cast<SndfileOutput*>(self)->fd_, offset, whence);
}

sf_count_t SndfileOutput::read(void* bytes, sf_count_t count, void* self) {
    return ::read(static_cast<SndfileOutput*>(self)->fd_, bytes, static_cast<std::size_t>(count));
}

sf_count_t SndfileOutput::write(const void* bytes, sf_count_t count, void* self) {
    auto& out = *static_cast<SndfileOutput*>(self);
    const auto* at = static_cast<const char*>(bytes);
    sf_count_t done = 0;
    while (done < count) {
        const auto written = ::write(out.fd_, at + done, static_cast<std::size_t>(count - done));
        if (written < 0 && errno == EINTR) continue;
        if (written < 0) {
            if (out.error_ == 0) out.error_ = errno;
            return done;
        }
        done += written;
    }
    return done;
}

sf_count_t SndfileOutput::tell(void* self) {
    return ::lseek(static_cast<SndfileOutput*>(self)->fd_, 0, SEEK_CUR);
}

}  // namespace rivlen
