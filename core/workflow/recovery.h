// SPDX-License-Identifier: GPL-3.0-or-later
// What a crash leaves of a session: a copy in WORK/recovery that is written again and again while it is
// worked on, and that the next start takes over. A program that ended while it read the recordings of a
// recovered session (a file that crashes a decoder, say) does not read them by itself again. Not for several
// threads.
#pragma once

#include <filesystem>
#include <optional>
#include <string>

#include "core/project/session.h"

namespace rivlen {

class Recovery {
  public:
    // Takes a name of its own in the folder; while this lives, no other process takes over what it keeps.
    explicit Recovery(const std::filesystem::path& work_folder);
    ~Recovery();  // ended properly: nothing stays
    Recovery(const Recovery&) = delete;
    Recovery& operator=(const Recovery&) = delete;

    // Keeps the session as it is now; until that is complete, what was kept before stays. Errors: Io,
    // DiskFull.
    [[nodiscard]] Status keep(const Session& session);
    // There is nothing to be lost: it is saved, or another is worked on.
    void forget();

    struct Left {
        Session session;
        bool read_media = true;  // false: the last one to read its media ended over it
    };
    // Takes over what a process that ended badly has left, the newest first; empty when there is nothing.
    // What was left is removed only once it is kept here. Errors: Io, DiskFull (and it stays for next time).
    [[nodiscard]] Result<std::optional<Left>> take_over();

    // Between these two, media are read: when the program ends over it, the next start does not read them.
    void reading_media();
    void media_read();

    // What is kept, and will be removed.
    [[nodiscard]] const std::filesystem::path& file() const { return file_; }

  private:
    std::filesystem::path folder_, file_;
    int lock_ = -1;
};

}  // namespace rivlen
