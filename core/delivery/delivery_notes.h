// SPDX-License-Identifier: GPL-3.0-or-later
// What a hidden folder beside delivered files remembers of each, so that a restart knows its own. Used by
// deliver().
#pragma once

#include <filesystem>
#include <span>
#include <string>
#include <vector>

#include "core/delivery/deliver.h"
#include "core/delivery/spoken_parts.h"

namespace rivlen {

class DeliveryNotes {
  public:
    static constexpr const char* kFolder = ".rivlen";
    // folder: of the files.
    explicit DeliveryNotes(std::filesystem::path folder) : folder_(std::move(folder)) {}
    // Of a file that was made and read back. made_from: a hash of all that went into it; the rows: its own,
    // one or, under a picture, several. Errors: those of writing.
    [[nodiscard]] Status keep(const std::filesystem::path& file, const std::string& made_from,
                              std::span<const DeliveredRow> rows) const;
    // Whether the file is there, unharmed, and would be made from the same; then what is not to be seen in
    // the file itself (gain, limiter, spoken parts) is filled into its rows.
    [[nodiscard]] bool knows(const std::filesystem::path& file, const std::string& made_from,
                             std::span<DeliveredRow> rows) const;
    // Written before a file appears under its name, so that one whose note is missing is known as our own.
    [[nodiscard]] Status begin(const std::filesystem::path& file, const std::string& made_from) const;
    // An earlier run made the file from the same and ended before it was noted. Files from before that run
    // are somebody else's.
    [[nodiscard]] bool broken_off(const std::filesystem::path& file, const std::string& made_from) const;
    void forget_begun(const std::filesystem::path& file) const;

  private:
    [[nodiscard]] std::filesystem::path place(const std::filesystem::path& file, const char* ending) const;
    std::filesystem::path folder_;
};

}  // namespace rivlen
