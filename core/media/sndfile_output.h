// SPDX-License-Identifier: GPL-3.0-or-later
// libsndfile writing into an open file, with what the system said of every write: closing writes as well, and
// libsndfile does not say whether that succeeded.
#pragma once

#include <sndfile.h>

#include <memory>

namespace rivlen {

class SndfileOutput {
  public:
    // The file must stay open as long as this; it is written from its start on.
    explicit SndfileOutput(int fd) : fd_(fd) {}
    SndfileOutput(const SndfileOutput&) = delete;
    SndfileOutput& operator=(const SndfileOutput&) = delete;

    // Null when libsndfile refuses; then see error().
    [[nodiscard]] SNDFILE* open(SF_INFO& info);
    [[nodiscard]] SNDFILE* get() const { return file_.get(); }
    // Writes what is left. 0, or the errno of the first write that failed.
    [[nodiscard]] int close();
    // The errno of the first write that failed; 0: none.
    [[nodiscard]] int error() const { return error_; }

  private:
    struct Closer {
        void operator()(SNDFILE* file) const { sf_close(file); }
    };
    static sf_count_t length(void* self);
    static sf_count_t seek(sf_count_t offset, int whence, void* self);
    static sf_count_t read(void* bytes, sf_count_t count, void* self);
    static sf_count_t write(const void* bytes, sf_count_t count, void* self);
    static sf_count_t tell(void* self);
    int fd_;
    int error_ = 0;
    std::unique_ptr<SNDFILE, Closer> file_;
};

}  // namespace rivlen
