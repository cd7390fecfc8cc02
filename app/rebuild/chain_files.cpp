// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/chain_files.h"

#include "app/widgets/file_dialogs.h"

namespace rivlen::app {

std::optional<Result<ChainPreset>> ask_chain(QWidget* parent, const QString& title) {
    const auto file = ask_file(parent, title, FileKind::Chain);
    if (!file) return {};
    return load_chain_preset(*file);
}

Status ask_and_keep_chain(QWidget* parent, const QString& title, const std::vector<Insert>& parts) {
    const auto path = ask_new_file(parent, title, FileKind::Chain);
    if (!path) return {};
    return save_chain_preset({path->stem().string(), {}, parts}, *path);
}

}  // namespace rivlen::app
