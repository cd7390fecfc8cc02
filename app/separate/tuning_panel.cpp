// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/separate/tuning_panel.h"

#include <QEvent>
#include <QHBoxLayout>
#include <QSignalBlocker>
#include <QVBoxLayout>

#include "app/widgets/controls.h"
#include "app/widgets/text.h"
#include "app/widgets/theme.h"
#include "core/separation/channel_groups.h"

namespace rivlen::app {

namespace {

constexpr int kTuningLabelWidth = 124;
constexpr const char* kWords = "rivlen_words";  // property of a control: its plain sentence

}  // namespace

TuningPanel::TuningPanel(Document& document, Measuring& measuring, QWidget* parent)
    : QWidget(parent),
      document_(document),
      measuring_(measuring),
      mark_(new QLabel(this)),
      name_(new QLabel(this)),
      figures_(new QLabel(this)),
      reason_(new QLabel(this)),
      help_(new QLabel(this)),
      graph_(new TradeOffGraph(document, measuring, this)),
      weighting_(new WeightingEditor(document, measuring, this)),
      weighting_on_(new QCheckBox(tr("Frequency weighting"), this)),
      both_channels_(new QCheckBox(tr("Use both channels"), this)),
      purpose_(new QComboBox(this)),
      take_(new QToolButton(this)),
      rows_box_(new QWidget(this)) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(8, 4, 8, 4);
    column->setSpacing(3);
    auto* head = new QHBoxLayout;
    QFont bold = font();
    bold.setBold(true);
    bold.setPointSizeF(bold.pointSizeF() + 1.5);
    name_->setFont(bold);
    figures_->setObjectName("figures");
    figures_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    head->addWidget(mark_);
    head->addWidget(name_);
    head->addWidget(figures_, 1);
    column->addLayout(head);
    graph_->setObjectName("graph");
    column->addWidget(graph_, 3);

    auto* proposal = new QHBoxLayout;
    for (const char* label : kPurposeLabels) purpose_->addItem(tr(label));
    purpose_->setObjectName("purpose");
    purpose_->setAccessibleName(tr("Purpose"));
    purpose_->setCurrentIndex(static_cast<int>(measuring_.purpose()));
    purpose_->setProperty(kWords,
                          tr("What the stem is for: the proposal weighs leak against damage accordingly."));
    take_->setText(tr("Take proposal"));
    take_->setObjectName("take_proposal");
    take_->setAccessibleName(tr("Take proposal"));
    take_->setProperty(kWords, tr("Moves isolation to the open diamond (P)."));
    proposal->addWidget(purpose_, 1);
    proposal->addWidget(take_);
    column->addLayout(proposal);
    reason_->setWordWrap(true);
    reason_->setObjectName("reason");
    reason_->setMinimumHeight(reason_->fontMetrics().lineSpacing() * 2);
    dim(reason_);
    column->addWidget(reason_);

    auto* rows = new QVBoxLayout(rows_box_);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(1);
    column->addWidget(rows_box_);
    for (std::size_t i = 0; i < kSettings; ++i) add_row(static_cast<Setting>(i));

    weighting_on_->setObjectName("weighting_on");
    weighting_on_->setProperty(kWords, weighting_->toolTip());
    weighting_->setProperty(kWords, weighting_->toolTip());
    weighting_->setObjectName("weighting");
    graph_->setProperty(kWords, graph_->toolTip());
    both_channels_->setObjectName("both_channels");
    both_channels_->setProperty(
        kWords, tr("Tells stems apart by direction, too. Holds for all stems, so that they go on adding up. "
                   "It helps where voice and music stand in different places; on sound that moves fast it "
                   "may waver."));
    both_channels_->setToolTip(both_channels_->property(kWords).toString());
    auto* choices = new QHBoxLayout;
    choices->addWidget(weighting_on_);
    choices->addStretch(1);
    choices->addWidget(both_channels_);
    column->addLayout(choices);
    column->addWidget(weighting_, 2);
    help_->setWordWrap(true);
    help_->setObjectName("help");
    help_->setAlignment(Qt::AlignTop | Qt::AlignLeft);
    help_->setFixedHeight(help_->fontMetrics().lineSpacing() * 2 + 2);
    dim(help_);
    help_->setText(tr("Point at a control: here stands what it does, and what too much of it sounds like."));
    column->addWidget(help_);
    for (QWidget* widget :
         std::initializer_list<QWidget*>{purpose_, take_, weighting_on_, both_channels_, weighting_, graph_})
        widget->installEventFilter(this);

    connect(purpose_, &QComboBox::activated, this,
            [this](int index) { measuring_.set_purpose(static_cast<Purpose>(index)); });
    connect(take_, &QToolButton::clicked, this, &TuningPanel::take_proposal);
    connect(weighting_on_, &QCheckBox::toggled, this, [this](bool on) {
        document_.edit_settings(tr("Frequency weighting"), {},
                                [&](ShapeSettings& s) { s.stems[stem_].weighting_on = on; });
    });
    connect(both_channels_, &QCheckBox::toggled, this, [this](bool on) {
        document_.edit_settings(tr("Use both channels"), {},
                                [on](ShapeSettings& s) { s.use_both_channels(on); });
    });
    connect(&document_, &Document::session_changed, this, &TuningPanel::refresh);
    connect(&document_, &Document::material_changed, this, &TuningPanel::refresh);
    connect(&measuring_, &Measuring::changed, this, &TuningPanel::show_figures);
    choose(0);
}

void TuningPanel::add_row(Setting setting) {
    const auto& p = info(setting);
    Row& row = rows_[static_cast<std::size_t>(setting)];
    row.box = new QWidget(rows_box_);
    auto* line = new QHBoxLayout(row.box);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(4);
    const QString sentence = QString("%1 %2").arg(words(p.sentence), words(p.too_much));
    QWidget* label = nullptr;
    if (p.switchable) {
        row.on = new QCheckBox(words(p.label), row.box);
        row.on->setObjectName(QString("%1_on").arg(p.key));
        label = row.on;
        connect(row.on, &QCheckBox::toggled, this, [this, setting, &p](bool on) {
            document_.edit_settings(words(p.label), {},
                                    [&](ShapeSettings& s) { s.stems[stem_].set_on(setting, on); });
        });
    } else {
        label = new QLabel(words(p.label), row.box);
    }
    label->setFixedWidth(kTuningLabelWidth);
    row.slider = new ParameterSlider(p, row.box);
    row.slider->setObjectName(p.key);
    line->addWidget(label);
    line->addWidget(row.slider, 1);
    for (QWidget* widget : std::initializer_list<QWidget*>{label, row.slider}) {
        widget->setProperty(kWords, sentence);
        widget->setToolTip(sentence);
        widget->installEventFilter(this);
    }
    rows_box_->layout()->addWidget(row.box);
    row.line = new QToolButton(row.box);
    row.line->setObjectName(QString("%1_line").arg(p.key));
    row.line->setIcon(QIcon(":/icons/line.svg"));
    row.line->setProperty("compact", true);
    row.line->setProperty("drawn", true);
    row.line->setIconSize({15, 15});
    row.line->setFixedSize(22, 20);
    row.line->setCheckable(true);
    row.line->setFocusPolicy(Qt::TabFocus);
    row.line->setAccessibleName(tr("Line of %1").arg(words(p.label)));
    const QString line_words =
        tr("Lets %1 change over time: a line on the stem's lane (Y).").arg(words(p.label));
    row.line->setToolTip(line_words);
    row.line->setProperty(kWords, line_words);
    row.line->installEventFilter(this);
    line->addWidget(row.line);
    connect(row.line, &QToolButton::clicked, this, [this, setting](bool open) {
        touched_ = setting;
        emit line_wanted(setting, open);
    });
    connect(row.slider, &ParameterSlider::moved, this, [this, setting, &p](double value) {
        touched_ = setting;
        document_.set_value(words(p.label), stem_, setting, value);
    });
    connect(row.slider, &ParameterSlider::released, this, [this] { document_.close_step(); });
}

void TuningPanel::choose(std::size_t stem) {
    stem_ = stem;
    document_.close_step();
    measuring_.choose(stem);
    mark_->setPixmap(stem_icon(stem).pixmap(20, 20));
    name_->setText(stem_label(stem));
    for (std::size_t i = 0; i < kSettings; ++i) {
        rows_[i].slider->set_colour(stem_colour(stem));
        rows_[i].box->setVisible(stem == 0 || !info(static_cast<Setting>(i)).for_dialogue_only);
    }
    refresh();
    show_figures();
}

void TuningPanel::refresh() {
    const SessionItem* item = document_.current_item();
    setEnabled(item != nullptr);
    const StemSettings settings = document_.shown_settings().stems[stem_];
    for (std::size_t i = 0; i < kSettings; ++i) {
        rows_[i].slider->set_value(settings.values[i]);
        rows_[i].slider->set_marked(document_.line_of(stem_, static_cast<Setting>(i)) != nullptr);
        if (rows_[i].on == nullptr) continue;
        const QSignalBlocker quiet(rows_[i].on);
        rows_[i].on->setChecked(settings.on[i]);
        rows_[i].slider->set_faint(!settings.on[i]);
    }
    const QSignalBlocker quiet(weighting_on_);
    weighting_on_->setChecked(settings.weighting_on);
    const QSignalBlocker quiet_both(both_channels_);
    both_channels_->setChecked(settings.both_channels);
    both_channels_->setVisible(item != nullptr && document_.source() != nullptr &&
                               any_pair(document_.source()->channels(), item->channels));
}

void TuningPanel::show_line(std::optional<Setting> open) {
    for (std::size_t i = 0; i < kSettings; ++i)
        rows_[i].line->setChecked(open && static_cast<std::size_t>(*open) == i);
}

void TuningPanel::follow_playhead() {
    const SessionItem* item = document_.current_item();
    if (item != nullptr && !item->lines.empty()) refresh();
}

void TuningPanel::show_figures() {
    const Measured* now = measuring_.now();
    figures_->setText(now != nullptr ? tr("leak %1 dB   damage %2")
                                           .arg(now->figures.bleed_db, 0, 'f', 1)
                                           .arg(now->figures.damage, 0, 'f', 0)
                                     : QString());
    const Proposal* proposal = measuring_.proposal();
    take_->setEnabled(proposal != nullptr);
    reason_->setText(proposal != nullptr ? QString::fromStdString(proposal->reason) : QString());
}

void TuningPanel::take_proposal() {
    const Proposal* proposal = measuring_.proposal();
    if (proposal == nullptr) return;
    document_.take_proposal(tr("Take proposal"), stem_, *proposal);
}

void TuningPanel::explain(const QString& words) {
    help_->setText(words);
}

bool TuningPanel::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::Enter || event->type() == QEvent::FocusIn)
        explain(watched->property(kWords).toString());
    return QWidget::eventFilter(watched, event);
}

}  // namespace rivlen::app
