// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/handover/row_details.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QVBoxLayout>

#include "app/widgets/text.h"

namespace rivlen::app {

namespace {
constexpr int kBinauralItem = -1;  // among the layouts
}  // namespace

RowDetails::RowDetails(EditRow edit, QWidget* parent) : QWidget(parent), edit_(std::move(edit)) {
    auto* lines = new QVBoxLayout(this);
    lines->setContentsMargins(0, 0, 0, 0);
    auto* first = new QHBoxLayout;
    auto* line = new QHBoxLayout;  // the second
    lines->addLayout(first);
    lines->addLayout(line);
    first->addWidget(new QLabel(tr("Chosen row: file"), this));
    pattern_ = new QLineEdit(this);
    pattern_->setObjectName("handover_pattern");
    pattern_->setAccessibleName(tr("Pattern of the file's name"));
    pattern_->setToolTip(tr("{name}, {content}, {version}, {target} and {rate} are filled in."));
    pattern_->setMinimumWidth(260);
    connect(pattern_, &QLineEdit::textEdited, this, [this](const QString& to) {
        edit_(
            row_, [&](HandoverRow& r) { r.name = to.toStdString(); }, "name");
    });
    first->addWidget(pattern_, 1);
    const auto box = [&](const QString& label, const char* name, const QString& sentence,
                         bool HandoverRow::*field) {
        auto* b = new QCheckBox(label, this);
        b->setObjectName(name);
        b->setToolTip(sentence);
        connect(b, &QCheckBox::clicked, this,
                [this, field](bool on) { edit_(row_, [&](HandoverRow& r) { r.*field = on; }, {}); });
        line->addWidget(b);
        return b;
    };
    line->addWidget(new QLabel(tr("Channels"), this));
    channels_ = new QComboBox(this);
    channels_->setObjectName("handover_channels");
    channels_->setAccessibleName(tr("Channels of the file"));
    channels_->setToolTip(
        tr("Channels of the file: the main bus is folded down, decoded or encoded to them.\n"
           "Binaural: two channels for headphones, through a measured head."));
    for (std::size_t k = 0; k < kLayouts; ++k)
        channels_->addItem(words(name_of(static_cast<Layout>(k))), static_cast<int>(k));
    channels_->addItem(tr("Binaural"), kBinauralItem);
    connect(channels_, &QComboBox::activated, this, [this](int index) {
        const int wanted = channels_->itemData(index).toInt();
        edit_(row_,
              [&](HandoverRow& r) {
                  r.binaural = wanted == kBinauralItem;
                  r.layout = r.binaural ? Layout::Stereo : static_cast<Layout>(wanted);
              },
              {});
    });
    line->addWidget(channels_);
    objects_ = box(tr("Objects"), "handover_objects",
                   tr("Broadcast WAV of more than two channels: mono and stereo tracks of the main bus are\n"
                      "channels of their own, with where they are over time (audio definition model)."),
                   &HandoverRow::objects);
    loop_only_ = box(tr("Loop range"), "handover_loop", tr("Only the loop range of the tracks."),
                     &HandoverRow::loop_only);
    ac3_ = box(tr("AC-3"), "handover_ac3",
               tr("Under the picture: coded as AC-3, which says how loud it is, in place of what the\n"
                  "picture's kind of file has otherwise."),
               &HandoverRow::ac3);
    original_ = box(tr("Original as well"), "handover_original",
                    tr("Under the picture: the sound that it came with, as a further track."),
                    &HandoverRow::keep_original_sound);
    first->addWidget(new QLabel(tr("Language"), this));
    language_ = new QLineEdit(this);
    language_->setObjectName("handover_language");
    language_->setAccessibleName(tr("Language of the sound under the picture"));
    language_->setToolTip(tr("Under the picture: three letters by ISO 639-2, und when it is not said."));
    language_->setMaxLength(3);
    language_->setFixedWidth(52);
    connect(language_, &QLineEdit::textEdited, this, [this](const QString& to) {
        edit_(
            row_, [&](HandoverRow& r) { r.language = to.toLower().toStdString(); }, "language");
    });
    first->addWidget(language_);
    line->addStretch(1);
}

void RowDetails::show_row(int row, const HandoverRow* shown) {
    row_ = row;
    for (QWidget* w : std::initializer_list<QWidget*>{pattern_, language_, channels_, objects_, ac3_,
                                                      loop_only_, original_})
        w->setEnabled(shown != nullptr);
    if (shown == nullptr) return;
    if (!pattern_->hasFocus()) pattern_->setText(text(shown->name));
    if (!language_->hasFocus()) language_->setText(text(shown->language));
    channels_->setCurrentIndex(
        channels_->findData(shown->binaural ? kBinauralItem : static_cast<int>(shown->layout)));
    objects_->setChecked(shown->objects);
    loop_only_->setChecked(shown->loop_only);
    original_->setChecked(shown->keep_original_sound);
    const bool picture = shown->container == Container::Picture;
    objects_->setEnabled(shown->objects || (shown->container == Container::Wav && shown->channels() > 2));
    ac3_->setChecked(shown->ac3);
    ac3_->setEnabled(picture);
    original_->setEnabled(picture);
    language_->setEnabled(picture);
}

}  // namespace rivlen::app
