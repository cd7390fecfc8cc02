// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/separate/teaching_panel.h"

#include <QHBoxLayout>
#include <QShortcut>
#include <QVBoxLayout>

#include "app/widgets/controls.h"
#include "app/widgets/text.h"
#include "app/widgets/theme.h"

namespace rivlen::app {

namespace {

QVBoxLayout* column_in(QWidget* box) {
    auto* column = new QVBoxLayout(box);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    return column;
}

void spread(QToolButton* button) {
    button->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
}

QLabel* sentence(const QString& words, QWidget* parent) {
    auto* label = new QLabel(words, parent);
    label->setWordWrap(true);
    dim(label);
    return label;
}

}  // namespace

TeachingPanel::TeachingPanel(Teaching& teaching, Document& document, const TimeStrip& times, QWidget* parent)
    : QWidget(parent), teaching_(teaching), document_(document), times_(times) {
    setObjectName("teaching_panel");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(8, 4, 8, 4);
    column->setSpacing(8);
    column->addWidget(build_marks());
    column->addWidget(build_proposals());
    column->addWidget(build_teach());
    column->addWidget(build_taught());
    column->addStretch(1);
    connect(&teaching_, &Teaching::changed, this, &TeachingPanel::refresh);
    refresh();
}

QWidget* TeachingPanel::build_marks() {
    constexpr int kRows = 4;
    auto* box = new QWidget(this);
    auto* column = column_in(box);
    column->addWidget(
        sentence(tr("Drag over the lanes where one kind of sound is alone, and say what it is. Eight "
                    "seconds of it or more are good; several marks count together."),
                 box));
    column->addWidget(build_kinds({{static_cast<std::size_t>(Stem::Dialogue), tr("Talker")},
                                   {kMusicSound, tr("Music")},
                                   {static_cast<std::size_t>(Stem::Ambience), tr("Ambience")}},
                                  tr("In the loop range only this sounds, and the model may learn it."), true,
                                  box));
    std::vector<std::pair<std::size_t, QString>> parts;
    for (std::size_t sound = kStems; sound < kSounds; ++sound) parts.emplace_back(sound, stem_label(sound));
    parts_kinds_ = build_kinds(parts,
                               tr("In the loop range only this part of the music sounds, and nothing else; "
                                  "the model of parts may learn it."),
                               false, box);
    column->addWidget(parts_kinds_);
    marks_ = new QListWidget(box);
    marks_->setObjectName("teaching_marks");
    marks_->setAccessibleName(tr("Marks to teach from"));
    marks_->setToolTip(
        tr("Double-click or Enter sets the loop there. Left and Right move the mark, with Ctrl its "
           "end, with Shift further; Delete takes it away."));
    marks_->installEventFilter(this);
    marks_->setFixedHeight(kRows * (marks_->fontMetrics().lineSpacing() + 4) + 6);
    column->addWidget(marks_);
    auto* below = new QHBoxLayout;
    together_ = new QLabel(box);
    together_->setObjectName("marked_together");
    dim(together_);
    remove_ = make_button(tr("Remove the mark"), "remove_mark", tr("Takes the chosen mark away."), box);
    below->addWidget(together_, 1);
    below->addWidget(remove_);
    column->addLayout(below);
    connect(marks_, &QListWidget::itemActivated, this, [this] {
        const auto row = static_cast<std::size_t>(std::max(0, marks_->currentRow()));
        if (row < teaching_.marks().size()) teaching_.go_to(teaching_.marks()[row]);
    });
    connect(remove_, &QToolButton::clicked, this, [this] {
        if (marks_->currentRow() >= 0) teaching_.remove(static_cast<std::size_t>(marks_->currentRow()));
    });
    return box;
}

// A row of buttons that mark the loop range as a sound's; drawn: with its sign, where there is room for it.
QWidget* TeachingPanel::build_kinds(const std::vector<std::pair<std::size_t, QString>>& kinds,
                                    const QString& tip, bool drawn, QWidget* parent) {
    auto* box = new QWidget(parent);
    auto* row = new QHBoxLayout(box);
    row->setContentsMargins(0, 0, 0, 0);
    for (const auto& [sound, label] : kinds) {
        auto* button = make_button(label, QString("mark_%1").arg(kSoundNames[sound]), tip, box);
        if (drawn) {
            button->setProperty("drawn", true);
            button->setIcon(stem_icon(sound));
            button->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
        }
        spread(button);
        row->addWidget(button);
        connect(button, &QToolButton::clicked, this, [this, sound = sound] { teaching_.mark(sound); });
    }
    return box;
}

bool TeachingPanel::eventFilter(QObject* watched, QEvent* event) {
    if (watched == marks_) {
        if (claims_key(event, {Qt::Key_Left, Qt::Key_Right, Qt::Key_Delete})) return true;
        if (event->type() == QEvent::KeyPress && take_key(*static_cast<QKeyEvent*>(event))) return true;
    }
    return QWidget::eventFilter(watched, event);
}

bool TeachingPanel::take_key(const QKeyEvent& key) {
    constexpr double kNudgeSeconds = 0.1, kFurther = 10;
    if (marks_->currentRow() < 0) return false;
    const auto row = static_cast<std::size_t>(marks_->currentRow());
    if (key.key() == Qt::Key_Delete) {
        teaching_.remove(row);
        return true;
    }
    if (key.key() != Qt::Key_Left && key.key() != Qt::Key_Right) return false;
    const double seconds = (key.key() == Qt::Key_Left ? -kNudgeSeconds : kNudgeSeconds) *
                           (key.modifiers() & Qt::ShiftModifier ? kFurther : 1);
    if (key.modifiers() & Qt::ControlModifier)
        teaching_.move_end(row, seconds);
    else
        teaching_.move(row, seconds);
    return true;
}

QWidget* TeachingPanel::build_proposals() {
    proposals_box_ = new QWidget(this);
    auto* column = column_in(proposals_box_);
    column->addWidget(new QLabel(tr("Proposed"), proposals_box_));
    proposals_ = new QListWidget(proposals_box_);
    proposals_->setObjectName("mark_proposals");
    proposals_->setAccessibleName(tr("Proposed marks"));
    proposals_->setToolTip(tr("Double-click or Enter sets the loop there, to hear it first."));
    proposals_->setWordWrap(true);
    column->addWidget(proposals_);
    auto* take =
        make_button(tr("Take the mark"), "take_mark", tr("Teach from the chosen stretch."), proposals_box_);
    column->addWidget(take);
    const auto row = [this] { return static_cast<std::size_t>(std::max(0, proposals_->currentRow())); };
    connect(proposals_, &QListWidget::itemActivated, this, [this, row] {
        if (row() < teaching_.proposals().size()) teaching_.go_to(teaching_.proposals()[row()].mark);
    });
    connect(take, &QToolButton::clicked, this, [this, row] { teaching_.take(row()); });
    return proposals_box_;
}

QWidget* TeachingPanel::build_teach() {
    auto* box = new QWidget(this);
    auto* column = column_in(box);
    auto* row = new QHBoxLayout;
    length_ = new QComboBox(box);
    length_->setObjectName("teaching_length");
    length_->setAccessibleName(tr("How long the model learns"));
    length_->addItems({tr("About a minute"), tr("About three minutes")});
    length_->setToolTip(tr("Longer brings more as a rule. On two cores; work can go on meanwhile."));
    teach_ =
        make_button(tr("Teach"), "teach",
                    tr("The model learns what is marked, and splits the recording again. The split as it "
                       "is stays one undo away."),
                    box);
    row->addWidget(length_, 1);
    row->addWidget(teach_);
    column->addLayout(row);
    outcome_ = new QLabel(box);
    outcome_->setObjectName("teaching_outcome");
    outcome_->setWordWrap(true);
    column->addWidget(outcome_);
    connect(teach_, &QToolButton::clicked, this, [this] { teaching_.teach(teaching_steps(length())); });
    return box;
}

QWidget* TeachingPanel::build_taught() {
    taught_box_ = new QWidget(this);
    auto* row = new QHBoxLayout(taught_box_);
    row->setContentsMargins(0, 0, 0, 0);
    use_[0] = make_button(tr("Untaught"), "use_untaught", tr("The split as the model comes."), taught_box_);
    use_[1] = make_button(tr("Taught"), "use_taught", tr("The split of the taught model."), taught_box_);
    for (std::size_t i = 0; i < use_.size(); ++i) {
        use_[i]->setCheckable(true);
        spread(use_[i]);
        row->addWidget(use_[i]);
        connect(use_[i], &QToolButton::clicked, this, [this, i] {
            teaching_.use_taught(i == 1);
            refresh();
        });
    }
    auto* forget = make_button(tr("Forget it"), "forget_taught",
                               tr("Without what was taught from now on; undo brings it back."), taught_box_);
    row->addWidget(forget);
    connect(forget, &QToolButton::clicked, this, [this] { teaching_.forget_taught(); });
    return taught_box_;
}

TeachingLength TeachingPanel::length() const {
    return static_cast<TeachingLength>(length_->currentIndex());
}

QString TeachingPanel::words_of(const TeachingMark& mark) const {
    const auto source = document_.source();
    if (!source) return {};
    const auto seconds = [&](std::int64_t frame) {
        return static_cast<double>(frame) / source->sample_rate();
    };
    return tr("%1 to %2, %3 s")
        .arg(times_.time_text().of(seconds(mark.first)), times_.time_text().of(seconds(mark.last)))
        .arg(seconds(mark.last - mark.first), 0, 'f', 1);
}

void TeachingPanel::show_marks() {
    shown_marks_ = teaching_.marks();
    const int row = marks_->currentRow();
    marks_->clear();
    for (const auto& mark : shown_marks_)
        marks_->addItem(new QListWidgetItem(listed_stem_icon(mark.sound()), words_of(mark), nullptr));
    marks_->setCurrentRow(std::clamp(row, 0, std::max(0, marks_->count() - 1)));
    together_->setText(together_words());
}

// How much there is of each kind.
QString TeachingPanel::together_words() const {
    const auto source = document_.source();
    std::array<double, kSounds> seconds{};
    for (const auto& mark : shown_marks_) {
        if (source)
            seconds[mark.sound()] += static_cast<double>(mark.last - mark.first) / source->sample_rate();
    }
    QStringList words;
    for (std::size_t s = 0; s < kSounds; ++s) {
        if (seconds[s] > 0) words << tr("%1 %2 s").arg(stem_label(s)).arg(seconds[s], 0, 'f', 1);
    }
    return words.join(", ");
}

void TeachingPanel::refresh() {
    if (shown_marks_ != teaching_.marks() || marks_->count() == 0) show_marks();
    std::vector<std::string> proposals;
    for (const auto& p : teaching_.proposals()) proposals.push_back(p.sentence);
    if (proposals != shown_proposals_) {
        shown_proposals_ = std::move(proposals);
        proposals_->clear();
        for (const auto& p : teaching_.proposals())
            proposals_->addItem(
                new QListWidgetItem(listed_stem_icon(p.mark.sound()), text(p.sentence), nullptr));
        proposals_->setCurrentRow(0);
        // As high as what it holds: a sentence takes two lines.
        constexpr int kMostEntries = 6;
        const int entries = std::min(kMostEntries, static_cast<int>(shown_proposals_.size()));
        proposals_->setFixedHeight(entries * (2 * proposals_->fontMetrics().lineSpacing() + 2) + 6);
    }
    const auto map = document_.model_map();
    parts_kinds_->setVisible(map && map->opens_music());
    proposals_box_->setVisible(!shown_proposals_.empty());
    remove_->setEnabled(!shown_marks_.empty());
    teach_->setEnabled(!shown_marks_.empty() && !teaching_.running() && !document_.splitting());
    outcome_->setText(teaching_.words());
    outcome_->setVisible(!teaching_.words().isEmpty());
    const TaughtModel* taught = teaching_.taught();
    taught_box_->setVisible(taught != nullptr);
    use_[0]->setChecked(taught != nullptr && !taught->in_use);
    use_[1]->setChecked(taught != nullptr && taught->in_use);
}

}  // namespace rivlen::app
