// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/file_dialogs.h"

#include <QCoreApplication>
#include <QDir>
#include <QFileDialog>
#include <QSettings>
#include <array>

#include "app/widgets/text.h"
#include "core/project/chain_preset.h"
#include "core/project/corrections_json.h"
#include "core/project/delivery_table.h"
#include "core/project/session.h"
#include "core/project/settings_json.h"
#include "core/workflow/bringing_in.h"

namespace rivlen::app {

namespace {

struct KindInfo {
    const char* key;     // in the settings
    const char* words;   // for the filter
    const char* ending;  // of a new file that has none; empty: no ending is added
};
constexpr std::array<KindInfo, kFileKinds> kKinds = {{
    {"recordings", QT_TRANSLATE_NOOP("Files", "Recordings and pictures"), ""},
    {"sessions", QT_TRANSLATE_NOOP("Files", "Rivlen sessions"), kSessionExtension},
    {"chains", QT_TRANSLATE_NOOP("Files", "Chains"), kChainPresetExtension},
    {"presets", QT_TRANSLATE_NOOP("Files", "Presets"), kPresetExtension},
    {"corrections", QT_TRANSLATE_NOOP("Files", "Corrections"), kCorrectionsExtension},
    {"tables", QT_TRANSLATE_NOOP("Files", "Tables of deliveries"), kTemplateExtension},
    {"mixes", QT_TRANSLATE_NOOP("Files", "Sound"), ".wav"},
    {"pictures", QT_TRANSLATE_NOOP("Files", "Pictures"), ""},
    {"heads", QT_TRANSLATE_NOOP("Files", "Head responses (AES69)"), ".sofa"},
}};

const KindInfo& about(FileKind kind) {
    return kKinds[static_cast<std::size_t>(kind)];
}

QString patterns(FileKind kind) {
    switch (kind) {
        case FileKind::Recording: {
            QStringList all;
            for (const char* ending : kRecordingEndings)
                all << QString("*.%1").arg(ending) << QString("*.%1").arg(QString(ending).toUpper());
            return all.join(' ');
        }
        case FileKind::Mix:
            return "*.wav *.flac";
        case FileKind::Picture:
            return "*.mov *.mp4 *.m4v *.mkv";
        default:
            return QString("*%1").arg(about(kind).ending);
    }
}

QString begin_at(const QString& folder, const std::filesystem::path& suggestion) {
    if (suggestion.has_parent_path() || folder.isEmpty()) return text(suggestion);
    return suggestion.empty() ? folder : QDir(folder).filePath(text(suggestion));
}

}  // namespace

QString file_filter(FileKind kind) {
    const QString own =
        QString("%1 (%2)").arg(QCoreApplication::translate("Files", about(kind).words), patterns(kind));
    if (kind != FileKind::Recording) return own;
    return own + ";;" + QCoreApplication::translate("Files", "All files (*)");
}

QString folder_of(FileKind kind) {
    const QString folder = QSettings().value(QString("folders/%1").arg(about(kind).key)).toString();
    return QDir(folder).exists() ? folder : QString();
}

void remember_folder(FileKind kind, const std::filesystem::path& file) {
    QSettings().setValue(QString("folders/%1").arg(about(kind).key), text(file.parent_path()));
}

std::optional<std::filesystem::path> ask_file(QWidget* parent, const QString& title, FileKind kind) {
    const QString file = QFileDialog::getOpenFileName(parent, title, folder_of(kind), file_filter(kind));
    if (file.isEmpty()) return {};
    const std::filesystem::path path = file.toStdString();
    remember_folder(kind, path);
    return path;
}

std::vector<std::filesystem::path> ask_files(QWidget* parent, const QString& title, FileKind kind) {
    std::vector<std::filesystem::path> out;
    for (const QString& file :
         QFileDialog::getOpenFileNames(parent, title, folder_of(kind), file_filter(kind)))
        out.emplace_back(file.toStdString());
    if (!out.empty()) remember_folder(kind, out.front());
    return out;
}

std::optional<std::filesystem::path> ask_new_file(QWidget* parent, const QString& title, FileKind kind,
                                                  const std::filesystem::path& suggestion) {
    QFileDialog dialog(parent, title, {}, file_filter(kind));
    const QString start = begin_at(folder_of(kind), suggestion);
    if (QDir(start).exists() && suggestion.empty())
        dialog.setDirectory(start);
    else
        dialog.selectFile(start);
    dialog.setAcceptMode(QFileDialog::AcceptSave);
    // The dialog adds it before it asks about a file that is there.
    dialog.setDefaultSuffix(QString(about(kind).ending).remove(0, 1));
    if (dialog.exec() != QDialog::Accepted || dialog.selectedFiles().isEmpty()) return {};
    const std::filesystem::path path = dialog.selectedFiles().front().toStdString();
    remember_folder(kind, path);
    return path;
}

std::optional<std::filesystem::path> ask_folder(QWidget* parent, const QString& title, const QString& key,
                                                const std::filesystem::path& suggestion) {
    const QString setting = QString("folders/%1").arg(key);
    const QString start = suggestion.empty() ? QSettings().value(setting).toString() : text(suggestion);
    const QString folder = QFileDialog::getExistingDirectory(parent, title, start);
    if (folder.isEmpty()) return {};
    QSettings().setValue(setting, folder);
    return std::filesystem::path(folder.toStdString());
}

}  // namespace rivlen::app
