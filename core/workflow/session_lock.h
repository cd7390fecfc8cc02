// SPDX-License-Identifier: GPL-3.0-or-later
// Who has a session open: so that of two windows on one session the last to save does not undo what the other
// saved. A hidden file beside the session, locked by flock(2) while the session is open: it is free as soon
// as its process ends, however that comes. Where the folder cannot be written to there is no lock.
#pragma once

#include <filesystem>
#include <string>

namespace rivlen {

class SessionLock {
  public:
    SessionLock() = default;  // of nothing
    // Tries to have the session; see held() and holder().
    explicit SessionLock(const std::filesystem::path& session);
    SessionLock(SessionLock&& other) noexcept;
    SessionLock& operator=(SessionLock&& other) noexcept;
    SessionLock(const SessionLock&) = delete;
    SessionLock& operator=(const SessionLock&) = delete;
    ~SessionLock();

    // False when somebody else has it.
    [[nodiscard]] bool held() const { return holder_.empty(); }
    // Who has it ("mira on studio-2"); empty when nobody else.
    [[nodiscard]] const std::string& holder() const { return holder_; }

  private:
    int fd_ = -1;
    std::filesystem::path file_;
    std::string holder_;
};

}  // namespace rivlen
