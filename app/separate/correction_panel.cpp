// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/separate/correction_panel.h"

#include <QGridLayout>
#include <QHBoxLayout>
#include <QSignalBlocker>
#include <QVBoxLayout>

#include "app/widgets/controls.h"
#include "app/widgets/file_dialogs.h"
#include "app/widgets/text.h"
#include "app/widgets/theme.h"
#include "core/project/corrections_json.h"

namespace rivlen::app {

namespace {

constexpr int kLabelWidth = 116;
constexpr int kId = Qt::UserRole;

struct Choice {
    QString label;
    const char* name;
    QString words;
};

QHBoxLayout* row_in(QVBoxLayout* column) {
    auto* row = new QHBoxLayout;
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(4);
    column->addLayout(row);
    return row;
}

QString percent(double share) {
    return QString("%1%2%").arg(share, 0, 'f', 0).arg(QChar(QChar::Nbsp));
}

}  // namespace

CorrectionPanel::CorrectionPanel(Correcting& correcting, Doubting& doubting, QWidget* parent)
    : QWidget(parent), correcting_(correcting), doubting_(doubting) {
    setObjectName("correction_panel");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(8, 4, 8, 4);
    column->setSpacing(4);
    column->addWidget(build_tools());
    facts_ = new QLabel(this);
    facts_->setObjectName("region_facts");
    facts_->setWordWrap(true);
    facts_->setFixedHeight(facts_->fontMetrics().lineSpacing() * 3);
    facts_->setAlignment(Qt::AlignTop | Qt::AlignLeft);
    column->addWidget(facts_);
    pointed_ = new QLabel(this);
    pointed_->setObjectName("pointed_at");
    pointed_->setFont(number_font());
    dim(pointed_);
    column->addWidget(pointed_);
    column->addWidget(build_acts());
    column->addWidget(build_settings());
    column->addWidget(build_doubts());
    column->addWidget(build_list(), 1);
    connect(&correcting_, &Correcting::changed, this, &CorrectionPanel::refresh);
    connect(&doubting_, &Doubting::changed, this, &CorrectionPanel::show_doubts);
    refresh();
    show_doubts();
}

QWidget* CorrectionPanel::build_doubts() {
    doubts_box_ = new QWidget(this);
    auto* column = new QVBoxLayout(doubts_box_);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    doubts_ = new QListWidget(doubts_box_);
    doubts_->setObjectName("doubts");
    doubts_->setAccessibleName(tr("What is doubted"));
    doubts_->setToolTip(tr("What the split may have got wrong. Double-click or Enter goes there."));
    doubts_->setWordWrap(true);
    column->addWidget(doubts_);
    auto* acts = row_in(column);
    const auto chosen = [this]() -> const DoubtedPlace* {
        const auto row = static_cast<std::size_t>(std::max(0, doubts_->currentRow()));
        return row < doubting_.places().size() ? &doubting_.places()[row] : nullptr;
    };
    auto* go = make_button(tr("Go there"), "doubt_go", tr("Shows it and draws its region."), doubts_box_);
    auto* take = make_button(tr("Put it right"), "doubt_take",
                             tr("Makes the correction that is proposed; it can be changed like any other."),
                             doubts_box_);
    for (auto* button : {go, take}) {
        button->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
        acts->addWidget(button);
    }
    const auto go_there = [this, chosen] {
        if (const DoubtedPlace* place = chosen()) correcting_.go_to(*place);
    };
    connect(go, &QToolButton::clicked, this, go_there);
    connect(doubts_, &QListWidget::itemActivated, this, go_there);
    connect(take, &QToolButton::clicked, this, [this, chosen] {
        if (const DoubtedPlace* place = chosen()) correcting_.take(*place);
    });
    return doubts_box_;
}

void CorrectionPanel::show_doubts() {
    doubts_->clear();
    for (const auto& place : doubting_.places()) doubts_->addItem(text(place.sentence));
    doubts_->setCurrentRow(0);
    constexpr int kMostRows = 2;  // of two lines each
    const int rows = std::min(kMostRows, std::max(1, doubts_->count()));
    doubts_->setFixedHeight(rows * (2 * doubts_->fontMetrics().lineSpacing() + 2) + 4);
    doubts_box_->setVisible(!doubting_.places().empty());
}

QWidget* CorrectionPanel::build_tools() {
    auto* box = new QWidget(this);
    auto* column = new QVBoxLayout(box);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    const auto add_row = [&](const QString& label, std::array<QToolButton*, 3>& buttons,
                             const std::array<Choice, 3>& choices, const auto& act) {
        auto* row = row_in(column);
        row->addWidget(new QLabel(label, box));
        for (std::size_t i = 0; i < choices.size(); ++i) {
            buttons[i] = make_button(choices[i].label, choices[i].name, choices[i].words, box);
            buttons[i]->setCheckable(true);
            buttons[i]->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
            row->addWidget(buttons[i]);
            connect(buttons[i], &QToolButton::clicked, this, [act, i] { act(i); });
        }
    };
    add_row(tr("Draw"), tools_,
            {{{tr("Box"), "draw_box", tr("Drag a box over what is to be put right.")},
              {tr("Outline"), "draw_outline", tr("Draw a line around what is to be put right.")},
              {tr("Brush"), "draw_brush", tr("Paint over what is to be put right; a click is one dab.")}}},
            [this](std::size_t i) { emit tool_wanted(static_cast<Correcting::Tool>(i + 1)); });
    add_row(tr("Hear"), hearing_,
            {{{tr("All"), "hear_all", tr("Everything, as it is.")},
              {tr("Region"), "hear_region", tr("Only what is in the region, in what is listened to now.")},
              {tr("Rest"), "hear_rest", tr("Only what is outside the region.")}}},
            [this](std::size_t i) { correcting_.hear(static_cast<Correcting::Hearing>(i)); });
    return box;
}

QWidget* CorrectionPanel::build_acts() {
    auto* box = new QWidget(this);
    auto* column = new QVBoxLayout(box);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    add_give_rows(column, 0, kStems);
    parts_box_ = new QWidget(box);
    auto* parts = new QVBoxLayout(parts_box_);
    parts->setContentsMargins(0, 0, 0, 0);
    parts->setSpacing(4);
    add_give_rows(parts, kStems, kSounds);
    parts_box_->setVisible(false);
    column->addWidget(parts_box_);
    auto* others = row_in(column);
    const std::array<std::pair<CorrectionAct, const char*>, 3> acts = {
        {{CorrectionAct::TakeDown, "take_down"},
         {CorrectionAct::Fill, "fill"},
         {CorrectionAct::ShareAsBefore, "share_as_before"}}};
    for (const auto& [act, name] : acts) {
        auto* button = make_button(words(info(act).label), name, words(info(act).sentence), box);
        button->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
        others->addWidget(button);
        connect(button, &QToolButton::clicked, this, [this, act = act] { correcting_.act(act); });
    }
    return box;
}

void CorrectionPanel::add_give_rows(QVBoxLayout* column, std::size_t first, std::size_t last) {
    auto* give = row_in(column);
    auto* give_label = new QLabel(first == 0 ? tr("Give to") : tr("or to"), this);
    give_label->setFixedWidth(56);
    give->addWidget(give_label);
    auto* from = row_in(column);
    auto* from_label = new QLabel(tr("out of"), this);
    from_label->setFixedWidth(56);
    from->addWidget(from_label);
    for (std::size_t s = first; s < last; ++s) {
        const QString key = kSoundNames[s];
        give_[s] = make_button(
            stem_label(s), "give_" + key,
            s < kStems ? tr("What is in the region goes to this stem, out of those that are ticked below.")
                       : tr("What is in the region goes to this part of the music, out of what is ticked."),
            this);
        give_[s]->setProperty("drawn", true);
        give_[s]->setIcon(stem_icon(s));
        give_[s]->setToolButtonStyle(Qt::ToolButtonIconOnly);
        give_[s]->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
        give->addWidget(give_[s]);
        connect(give_[s], &QToolButton::clicked, this, [this, s] { correcting_.give(s); });
        from_[s] = new QCheckBox(this);
        from_[s]->setObjectName("from_" + key);
        from_[s]->setIcon(stem_icon(s));
        from_[s]->setAccessibleName(tr("Out of %1").arg(stem_label(s)));
        from_[s]->setToolTip(s < kStems ? tr("Take what is given out of this stem, too.")
                                        : tr("Take what the music gives out of this part of it, too."));
        from->addWidget(from_[s], 1);
        connect(from_[s], &QCheckBox::toggled, this, [this, s](bool on) { correcting_.set_from(s, on); });
    }
}

QWidget* CorrectionPanel::build_settings() {
    auto* box = new QWidget(this);
    auto* column = new QVBoxLayout(box);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(1);
    for (std::size_t i = 0; i < kCorrectionSettings; ++i) {
        const auto setting = static_cast<CorrectionSetting>(i);
        const ParameterInfo& p = info(setting);
        if (setting == CorrectionSetting::Partial) {
            harmonics_ = new QCheckBox(tr("On all its partials"), box);
            harmonics_->setObjectName("harmonics");
            harmonics_->setToolTip(
                tr("The region also acts on the other partials of the same fundamental: draw one, put all "
                   "right."));
            column->addWidget(harmonics_);
            connect(harmonics_, &QCheckBox::toggled, this,
                    [this](bool on) { correcting_.set_harmonics(on); });
        }
        rows_[i] = new QWidget(box);
        auto* row = new QHBoxLayout(rows_[i]);
        row->setContentsMargins(0, 0, 0, 0);
        row->setSpacing(4);
        auto* label = new QLabel(words(p.label), rows_[i]);
        label->setFixedWidth(kLabelWidth);
        sliders_[i] = new ParameterSlider(p, rows_[i]);
        sliders_[i]->setObjectName(p.key);
        const QString sentence = QString("%1 %2").arg(words(p.sentence), words(p.too_much));
        label->setToolTip(sentence);
        sliders_[i]->setToolTip(sentence);
        row->addWidget(label);
        row->addWidget(sliders_[i], 1);
        column->addWidget(rows_[i]);
        connect(sliders_[i], &ParameterSlider::moved, this,
                [this, setting](double value) { correcting_.set(setting, value); });
        connect(sliders_[i], &ParameterSlider::released, this, [this] { correcting_.close_step(); });
    }
    return box;
}

QWidget* CorrectionPanel::build_list() {
    auto* box = new QWidget(this);
    auto* column = new QVBoxLayout(box);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    list_ = new QListWidget(box);
    list_->setObjectName("corrections");
    list_->setAccessibleName(tr("Corrections"));
    list_->setEditTriggers(QAbstractItemView::DoubleClicked | QAbstractItemView::EditKeyPressed);
    list_->setMinimumHeight(3 * list_->fontMetrics().lineSpacing());
    list_->setSizePolicy(QSizePolicy::Expanding,
                         QSizePolicy::Ignored);  // takes what is left, and asks for none
    column->addWidget(list_, 2);
    connect(list_, &QListWidget::currentItemChanged, this, [this](QListWidgetItem* item) {
        if (!filling_ && item != nullptr) correcting_.choose(item->data(kId).toInt());
    });
    connect(list_, &QListWidget::itemChanged, this, [this](QListWidgetItem* item) {
        if (filling_) return;
        const int id = item->data(kId).toInt();
        correcting_.switch_on(id, item->checkState() == Qt::Checked);
        correcting_.rename(id, item->text());
    });
    auto* acts = row_in(column);
    auto* files = row_in(column);
    const auto add = [&](const QString& label, const char* name, const QString& sentence, auto act) {
        auto* button = make_button(label, name, sentence, box);
        button->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
        (acts->count() < 2 ? acts : files)->addWidget(button);
        connect(button, &QToolButton::clicked, this, act);
    };
    add(tr("All off / on"), "corrections_all",
        tr("All corrections off, to hear what the model had; again: on as they were."),
        [this] { correcting_.switch_all(); });
    add(tr("Places like this"), "places_like_this",
        tr("Finds where the same sound comes again, so that it can be put right there, too."),
        [this] { correcting_.find_similar(); });
    add(tr("Read…"), "corrections_read", tr("Adds corrections from a file."), [this] { ask_file(false); });
    add(tr("Write…"), "corrections_write", tr("Writes all corrections to a file."),
        [this] { ask_file(true); });
    places_box_ = new QWidget(box);
    auto* places = new QVBoxLayout(places_box_);
    places->setContentsMargins(0, 0, 0, 0);
    places->setSpacing(4);
    auto* head = row_in(places);
    places_words_ = new QLabel(places_box_);
    head->addWidget(places_words_, 1);
    auto* all = make_button(tr("The same at all"), "take_all_places",
                            tr("Does at all these places what is done in the region."), places_box_);
    head->addWidget(all);
    connect(all, &QToolButton::clicked, this, [this] { correcting_.take_all_places(); });
    places_ = new QListWidget(places_box_);
    places_->setObjectName("places");
    places_->setAccessibleName(tr("Places like this"));
    places_->setToolTip(tr("Double-click or Enter: the same there."));
    places_->setMinimumHeight(3 * places_->fontMetrics().lineSpacing());
    places_->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Ignored);
    places->addWidget(places_);
    connect(places_, &QListWidget::itemActivated, this, [this](QListWidgetItem* item) {
        correcting_.take_place(static_cast<std::size_t>(places_->row(item)));
    });
    column->addWidget(places_box_, 1);
    return box;
}

void CorrectionPanel::refresh() {
    for (std::size_t i = 0; i < tools_.size(); ++i)
        tools_[i]->setChecked(correcting_.tool() == static_cast<Correcting::Tool>(i + 1));
    for (std::size_t i = 0; i < hearing_.size(); ++i)
        hearing_[i]->setChecked(correcting_.hearing() == static_cast<Correcting::Hearing>(i));
    const Correction shown = correcting_.shown();
    for (std::size_t s = 0; s < kSounds; ++s) {
        const QSignalBlocker quiet(from_[s]);
        from_[s]->setChecked(takes_from(shown, s));
    }
    const QSignalBlocker quiet(harmonics_);
    harmonics_->setChecked(shown.region.harmonics);
    for (std::size_t i = 0; i < kCorrectionSettings; ++i) {
        const auto setting = static_cast<CorrectionSetting>(i);
        sliders_[i]->set_value(value_of(shown, setting));
        const bool always = setting == CorrectionSetting::TakeDown && correcting_.chosen() == 0;
        rows_[i]->setVisible(always || acts_on(shown, setting));
    }
    show_facts();
    show_list();
}

void CorrectionPanel::show_facts() {
    const RegionFacts* facts = correcting_.facts();
    if (correcting_.region() == nullptr)
        return facts_->setText(tr(
            "Take a tool and draw on a lane. Then give what you drew to a stem, take it down, or fill it."));
    if (facts == nullptr) return facts_->setText(tr("Looking…"));
    const auto& b = facts->bounds;
    QString shares;
    const std::size_t sounds = parts_box_->isHidden() ? kStems : kSounds;
    for (std::size_t s = 0; s < sounds; ++s)
        shares +=
            QString("%1%2%3   ").arg(stem_label(s), QChar(QChar::Nbsp), percent(facts->share_percent[s]));
    if (facts->cut_percent >= 0.5) shares += tr("Cut %1").arg(percent(facts->cut_percent));
    facts_->setText(tr("%1 ms from %2 s, %3 to %4 Hz, %5\n%6")
                        .arg(1000 * (b.last_seconds - b.first_seconds), 0, 'f', 0)
                        .arg(b.first_seconds, 0, 'f', 2)
                        .arg(b.lowest_hz, 0, 'f', 0)
                        .arg(b.highest_hz, 0, 'f', 0)
                        .arg(level_text(facts->level_dbfs, "dBFS"))
                        .arg(shares.trimmed()));
}

void CorrectionPanel::show_list() {
    filling_ = true;
    const auto& all = correcting_.all();
    while (list_->count() > static_cast<int>(all.size())) delete list_->takeItem(list_->count() - 1);
    while (list_->count() < static_cast<int>(all.size())) list_->addItem(new QListWidgetItem);
    list_->setCurrentRow(-1);
    for (int i = 0; i < list_->count(); ++i) {
        const Correction& c = all[static_cast<std::size_t>(i)];
        auto* item = list_->item(i);
        item->setFlags(item->flags() | Qt::ItemIsUserCheckable | Qt::ItemIsEditable);
        item->setData(kId, c.id);
        item->setText(text(c.name));
        item->setCheckState(c.on ? Qt::Checked : Qt::Unchecked);
        item->setToolTip(tr("From %1 s").arg(bounds_of(c.region).first_seconds, 0, 'f', 2));
        if (c.id == correcting_.chosen()) list_->setCurrentRow(i);
    }
    const auto& places = correcting_.places();
    places_box_->setVisible(!places.empty());
    places_words_->setText(tr("Places like this: %1").arg(places.size()));
    places_->clear();
    const Region* region = correcting_.region();
    for (const auto& place : places) {
        const double from = region != nullptr ? bounds_of(*region).first_seconds : 0;
        places_->addItem(tr("%1 s   %2 % alike")
                             .arg(from + place.by_seconds, 0, 'f', 2)
                             .arg(100 * place.likeness, 0, 'f', 0));
    }
    filling_ = false;
}

void CorrectionPanel::ask_file(bool save) {
    const auto file = save
                          ? ask_new_file(this, tr("Write the corrections"), FileKind::Corrections)
                          : rivlen::app::ask_file(this, tr("Corrections to be added"), FileKind::Corrections);
    if (!file) return;
    save ? correcting_.save_to(*file) : correcting_.add_from(*file);
}

}  // namespace rivlen::app
