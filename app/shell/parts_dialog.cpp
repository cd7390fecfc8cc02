// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/parts_dialog.h"

#include <QDialogButtonBox>
#include <QHeaderView>
#include <QLabel>
#include <QPushButton>
#include <QSpinBox>
#include <QVBoxLayout>
#include <algorithm>
#include <map>

#include "app/widgets/controls.h"
#include "app/widgets/text.h"
#include "core/base/channel_block.h"
#include "core/space/layout.h"

namespace rivlen::app {

namespace {
enum Column { kStream, kChannel, kPeak, kName, kHear, kNumber, kColumns };

QTableWidgetItem* fixed_item(const QString& text) {
    auto* item = new QTableWidgetItem(text);
    item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable);
    return item;
}

const AudioStreamInfo* stream_of(const FileChannels& file, const ChannelOfFile& channel) {
    const auto found = std::ranges::find(file.info.audio, channel.stream, &AudioStreamInfo::index);
    return found != file.info.audio.end() ? &*found : nullptr;
}
// "1 eng", with the language that it says.
QString stream_text(const FileChannels& file, const ChannelOfFile& channel) {
    const AudioStreamInfo* stream = stream_of(file, channel);
    const QString number = QString::number(channel.stream);
    return stream == nullptr || stream->language.empty() ? number : number + ' ' + text(stream->language);
}
// "4 LFE", where the stream has as many channels as a bed.
QString channel_text(const FileChannels& file, const ChannelOfFile& channel) {
    const AudioStreamInfo* stream = stream_of(file, channel);
    const Layout layout = likely_layout(static_cast<std::size_t>(stream != nullptr ? stream->channels : 1))
                              .value_or(Layout::Mono);
    const QString number = QString::number(channel.channel + 1);
    if (layout == Layout::Mono || ambisonic_order(layout) > 0) return number;
    return number + ' ' + channel_mark(layout, static_cast<std::size_t>(channel.channel));
}
}  // namespace

PartsDialog::PartsDialog(FileChannels file, const QString& name, QWidget* parent)
    : QDialog(parent), file_(std::move(file)) {
    setObjectName("parts_dialog");
    setWindowTitle(tr("Streams and channels of %1").arg(name));
    resize(680, 440);
    auto* column = new QVBoxLayout(this);
    column->addWidget(make_note(
        tr("Channels with one number become one recording, in this order: a microphone, a pair, a bed. 0 "
           "stays out. They are written beside the session, in step with the picture and with the "
           "file's timecode; the file itself stays as it is."),
        this));
    table_ = new QTableWidget(static_cast<int>(file_.channels.size()), kColumns, this);
    table_->setObjectName("parts_table");
    table_->setAccessibleName(tr("Channels of the file"));
    table_->setHorizontalHeaderLabels(
        {tr("Stream"), tr("Channel"), tr("Peak"), tr("Name"), tr("Listen"), tr("Recording")});
    table_->verticalHeader()->hide();
    table_->horizontalHeader()->setSectionResizeMode(kName, QHeaderView::Stretch);
    for (int row = 0; row < table_->rowCount(); ++row) {
        const ChannelOfFile& channel = file_.channels[static_cast<std::size_t>(row)];
        table_->setItem(row, kStream, fixed_item(stream_text(file_, channel)));
        table_->setItem(row, kChannel, fixed_item(channel_text(file_, channel)));
        table_->setItem(row, kPeak,
                        fixed_item(channel.peak_dbfs ? level_text(channel.peak_dbfs, "dBFS") : tr("silent")));
        table_->setItem(row, kName, new QTableWidgetItem(text(channel.name)));
        auto* hear =
            make_button(tr("Hear"), QString("part_hear_%1").arg(row),
                        tr("A few seconds of channel %1, where it is loudest.").arg(row + 1), table_);
        connect(hear, &QToolButton::clicked, this,
                [this, row] { emit hear_wanted(file_.channels[static_cast<std::size_t>(row)]); });
        table_->setCellWidget(row, kHear, hear);
        auto* number = new QSpinBox(table_);
        number->setObjectName(QString("part_number_%1").arg(row));
        number->setAccessibleName(tr("Recording of channel %1").arg(row + 1));
        number->setRange(0, table_->rowCount());
        connect(number, &QSpinBox::valueChanged, this, &PartsDialog::say_what_comes);
        table_->setCellWidget(row, kNumber, number);
    }
    column->addWidget(table_, 1);
    auto* acts = new QHBoxLayout;
    auto* proposed =
        make_button(tr("As proposed"), "parts_proposed",
                    tr("By the names of the tracks: pairs, beds, microphones; silent ones stay out."), this);
    auto* alone =
        make_button(tr("Each alone"), "parts_alone", tr("Every channel as a recording of its own."), this);
    acts->addWidget(proposed);
    acts->addWidget(alone);
    note_ = new QLabel(this);
    note_->setObjectName("parts_note");
    acts->addWidget(note_, 1);
    column->addLayout(acts);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Cancel, this);
    bring_in_ = buttons->addButton(tr("Bring in"), QDialogButtonBox::AcceptRole);
    bring_in_->setObjectName("parts_bring_in");
    auto* whole = buttons->addButton(tr("As one recording"), QDialogButtonBox::ActionRole);
    whole->setObjectName("parts_whole");
    whole->setAutoDefault(false);
    whole->setToolTip(tr("The file as it is: all channels of its best stream, in one recording."));
    connect(whole, &QPushButton::clicked, this, [this] {
        emit whole_wanted();
        reject();
    });
    column->addWidget(buttons);
    connect(proposed, &QToolButton::clicked, this, [this] { number(likely_parts(file_)); });
    connect(alone, &QToolButton::clicked, this, &PartsDialog::number_each_alone);
    connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    number(likely_parts(file_));
    bring_in_->setDefault(true);
}

int PartsDialog::number_of(int row) const {
    return qobject_cast<QSpinBox*>(table_->cellWidget(row, kNumber))->value();
}

void PartsDialog::number(const std::vector<PartOfFile>& parts) {
    for (int row = 0; row < table_->rowCount(); ++row) {
        const ChannelOfFile& channel = file_.channels[static_cast<std::size_t>(row)];
        const auto found = std::ranges::find_if(parts, [&](const PartOfFile& part) {
            return std::ranges::any_of(part.channels,
                                       [&](const ChannelOfFile& c) { return c.same_place(channel); });
        });
        const auto place = found == parts.end() ? 0 : static_cast<int>(found - parts.begin()) + 1;
        qobject_cast<QSpinBox*>(table_->cellWidget(row, kNumber))->setValue(place);
    }
    say_what_comes();
}

void PartsDialog::number_each_alone() {
    for (int row = 0; row < table_->rowCount(); ++row)
        qobject_cast<QSpinBox*>(table_->cellWidget(row, kNumber))->setValue(row + 1);
}

std::vector<PartOfFile> PartsDialog::parts() const {
    std::map<int, PartOfFile> by_number;
    for (int row = 0; row < table_->rowCount(); ++row) {
        const int number = number_of(row);
        if (number == 0) continue;
        ChannelOfFile channel = file_.channels[static_cast<std::size_t>(row)];
        channel.name = table_->item(row, kName)->text().trimmed().toStdString();
        by_number[number].channels.push_back(std::move(channel));
    }
    std::vector<PartOfFile> out;
    for (auto& [number, part] : by_number) {
        part.name = part_name(part.channels, out.size() + 1);
        out.push_back(std::move(part));
    }
    return out;
}

void PartsDialog::say_what_comes() {
    const auto wanted = parts();
    const bool too_many = std::ranges::any_of(
        wanted, [](const PartOfFile& part) { return part.channels.size() > kMostChannels; });
    note_->setText(too_many ? tr("A recording has %1 channels at most.").arg(kMostChannels)
                            : tr("%n recording(s)", nullptr, static_cast<int>(wanted.size())));
    bring_in_->setEnabled(!wanted.empty() && !too_many);
}

}  // namespace rivlen::app
