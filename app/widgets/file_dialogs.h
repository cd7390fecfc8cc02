// SPDX-License-Identifier: GPL-3.0-or-later
// Files and folders as a person names them: filters by kind, and every kind remembers the folder it was in
// last.
#pragma once

#include <QString>
#include <QWidget>
#include <filesystem>
#include <optional>
#include <vector>

namespace rivlen::app {

enum class FileKind { Recording, Session, Chain, Preset, Corrections, Table, Mix, Picture, Head };
inline constexpr std::size_t kFileKinds = 9;

// What a dialog offers to choose among, the kind's own files first.
[[nodiscard]] QString file_filter(FileKind kind);
// Nothing when none was chosen.
[[nodiscard]] std::optional<std::filesystem::path> ask_file(QWidget* parent, const QString& title,
                                                            FileKind kind);
// Several at once; empty when none was chosen.
[[nodiscard]] std::vector<std::filesystem::path> ask_files(QWidget* parent, const QString& title,
                                                           FileKind kind);
// With the kind's own ending where the name has none; `suggestion` may be a name alone or a whole path. A
// file that is there is asked about.
[[nodiscard]] std::optional<std::filesystem::path> ask_new_file(QWidget* parent, const QString& title,
                                                                FileKind kind,
                                                                const std::filesystem::path& suggestion = {});
// key: under which the folder is remembered.
[[nodiscard]] std::optional<std::filesystem::path> ask_folder(QWidget* parent, const QString& title,
                                                              const QString& key,
                                                              const std::filesystem::path& suggestion = {});
// Where the dialog of a kind begins, and what it remembers.
[[nodiscard]] QString folder_of(FileKind kind);
void remember_folder(FileKind kind, const std::filesystem::path& file);

}  // namespace rivlen::app
