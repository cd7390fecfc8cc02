// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/chain_files.h"

#include <QCoreApplication>
#include <QFileDialog>

namespace rivlen::app {

namespace {

QString file_filter() {
    return QCoreApplication::translate("Chains", "Chains (*.rivlen-chain)");
}

}  // namespace

std::optional<Result<ChainPreset>> ask_chain(QWidget* parent, const QString& title) {
    const QString file = QFileDialog::getOpenFileName(parent, title, {}, file_filter());
    if (file.isEmpty()) return {};
    return load_chain_preset(file.toStdString());
}

Status ask_and_keep_chain(QWidget* parent, const QString& title, const std::vector<Insert>& parts) {
    QString file = QFileDialog::getSaveFileName(parent, title, {}, file_filter());
    if (file.isEmpty()) return {};
    if (!file.endsWith(kChainPresetExtension)) file += kChainPresetExtension;
    const std::filesystem::path path = file.toStdString();
    return save_chain_preset({path.stem().string(), {}, parts}, path);
}

}  // namespace rivlen::app
