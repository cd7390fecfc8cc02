// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/handover/delivery_rows_view.h"

#include <QComboBox>
#include <QHeaderView>
#include <QResizeEvent>
#include <QSignalBlocker>
#include <algorithm>
#include <array>

#include "app/handover/row_delegates.h"
#include "app/widgets/text.h"
#include "app/widgets/theme.h"
#include "core/project/session.h"
#include "core/project/target.h"

namespace rivlen::app {

namespace {

enum Column {
    kOn,
    kHolds,
    kSettings,
    kVersion,
    kTarget,
    kKind,
    kDepth,
    kRate,
    kFile,
    kState,
    kLoudness,
    kPeak,
    kColumns
};
constexpr std::array<int, 7> kRates = {0, 44100, 48000, 88200, 96000, 176400, 192000};
constexpr std::array<Depth, 3> kDepths = {Depth::Pcm16, Depth::Pcm24, Depth::Float32};

QTableWidgetItem* fixed(const QString& label) {
    auto* item = new QTableWidgetItem(label);
    item->setFlags(Qt::ItemIsSelectable | Qt::ItemIsEnabled);
    return item;
}

}  // namespace

DeliveryRowsView::DeliveryRowsView(EditRow edit, QWidget* parent)
    : QTableWidget(0, kColumns, parent), edit_(std::move(edit)) {
    setObjectName("handover_rows");
    setAccessibleName(tr("Deliveries"));
    setHorizontalHeaderLabels({QString(), tr("Holds"), tr("Settings"), tr("Version"), tr("Target"),
                               tr("Kind"), tr("Depth"), tr("Rate"), tr("File"), tr("State"), tr("Loudness"),
                               tr("True peak")});
    verticalHeader()->setDefaultSectionSize(34);
    setSelectionBehavior(QAbstractItemView::SelectRows);
    setSelectionMode(QAbstractItemView::SingleSelection);
    setShowGrid(false);
    setWordWrap(false);
    names_ = new WholeNameDelegate(this);
    setItemDelegateForColumn(kFile, names_);
    setItemDelegateForColumn(kLoudness, new ToleranceDelegate(this));
    setItemDelegateForColumn(kPeak, new ToleranceDelegate(this));
    verticalHeader()->setSectionsClickable(true);
    verticalHeader()->setFixedWidth(22);
    connect(verticalHeader(), &QHeaderView::sectionClicked, this, &DeliveryRowsView::fold);
    horizontalHeader()->setSectionResizeMode(kFile, QHeaderView::Stretch);
    constexpr std::array<int, kColumns> kWidths = {30, 138, 90, 70, 190, 124, 66, 80, 200, 76, 92, 92};
    for (int c = 0; c < kColumns; ++c) setColumnWidth(c, kWidths[static_cast<std::size_t>(c)]);
    connect(this, &QTableWidget::itemChanged, this, [this](QTableWidgetItem* changed) {
        const int row = changed->row();
        if (changed->column() == kVersion)
            edit_(row, [&](HandoverRow& r) { r.version = changed->text().trimmed().toStdString(); }, {});
        if (changed->column() == kOn)
            edit_(row, [&](HandoverRow& r) { r.on = changed->checkState() == Qt::Checked; }, {});
    });
}

void DeliveryRowsView::fill(const HandoverTemplate& table) {
    const QSignalBlocker quiet(this);
    const int chosen = currentRow();
    setRowCount(static_cast<int>(table.rows.size()));
    for (int row = 0; row < rowCount(); ++row) fill_row(row, table);
    choose(std::clamp(chosen, 0, std::max(0, rowCount() - 1)));
    keys_ = table.rows;
    show_folds();
}

// Rows that belong under a mix: what follows it with the same gain, as far as the next mix.
int DeliveryRowsView::rows_under(int mix) const {
    const auto first = static_cast<std::size_t>(mix);
    if (first >= keys_.size() || keys_[first].content != Content::Mix) return 0;
    std::size_t end = first + 1;
    while (end < keys_.size() && keys_[end].content != Content::Mix &&
           version_key(keys_[end]) == version_key(keys_[first]))
        ++end;
    return static_cast<int>(end - first) - 1;
}

void DeliveryRowsView::fold(int row) {
    if (rows_under(row) == 0) return;
    const VersionKey key = version_key(keys_[static_cast<std::size_t>(row)]);
    if (!folded_.erase(key)) folded_.insert(key);
    show_folds();
}

void DeliveryRowsView::show_folds() {
    const QSignalBlocker quiet(this);
    for (int row = 0; row < rowCount(); ++row) setRowHidden(row, false);
    for (int row = 0; row < rowCount(); ++row) {
        const int under = rows_under(row);
        const bool folded = under > 0 && folded_.contains(version_key(keys_[static_cast<std::size_t>(row)]));
        auto* head = new QTableWidgetItem(under == 0 ? QString() : QString(QChar(folded ? 0x25B8 : 0x25BE)));
        if (under > 0)
            head->setToolTip(folded
                                 ? tr("Hides %n row(s) of this version. Click to show them.", nullptr, under)
                                 : tr("Hides the rows of this version."));
        setVerticalHeaderItem(row, head);
        for (int k = row + 1; folded && k <= row + under; ++k) setRowHidden(k, true);
    }
}

void DeliveryRowsView::choose(int row) {
    setCurrentCell(row, kHolds);
}

void DeliveryRowsView::add_choice(int row, const Choice& choice) {
    auto* box = new QComboBox(this);
    box->setObjectName(QString("handover_%1_%2").arg(choice.name).arg(row));
    box->setAccessibleName(tr("%1 of row %2").arg(horizontalHeaderItem(choice.column)->text()).arg(row + 1));
    box->addItems(choice.labels);
    box->setCurrentIndex(std::max(0, choice.index));
    box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    connect(box, &QComboBox::currentIndexChanged, this, [this, row, change = choice.change](int to) {
        edit_(row, [&](HandoverRow& here) { change(here, to); }, {});
        choose(row);
    });
    setCellWidget(row, choice.column, box);
}

void DeliveryRowsView::fill_row(int row, const HandoverTemplate& table) {
    const HandoverRow& r = table.rows[static_cast<std::size_t>(row)];
    auto* on = fixed({});
    on->setFlags(on->flags() | Qt::ItemIsUserCheckable);
    on->setCheckState(r.on ? Qt::Checked : Qt::Unchecked);
    setItem(row, kOn, on);
    QStringList contents;
    for (std::size_t c = 0; c < kContents; ++c) contents << words(label_of(static_cast<Content>(c)));
    add_choice(row, {kHolds, "content", contents, static_cast<int>(r.content),
                     [](HandoverRow& here, int to) { here.content = static_cast<Content>(to); }});
    QStringList cards{tr("As tuned")};
    for (std::size_t c = 0; c < kCards; ++c) cards << tr("Card %1").arg(c + 1);
    add_choice(row,
               {kSettings, "card", cards, r.card + 1, [](HandoverRow& here, int to) { here.card = to - 1; }});
    setItem(row, kVersion, new QTableWidgetItem(text(r.version)));
    add_target_choice(row, table);
    QStringList kinds;
    for (std::size_t k = 0; k < kContainers; ++k) kinds << words(label_of(static_cast<Container>(k)));
    add_choice(row, {kKind, "kind", kinds, static_cast<int>(r.container),
                     [](HandoverRow& here, int to) { here.container = static_cast<Container>(to); }});
    add_choice(row, {kDepth,
                     "depth",
                     {tr("16 bit"), tr("24 bit"), tr("float")},
                     static_cast<int>(r.depth),
                     [](HandoverRow& here, int to) { here.depth = kDepths[static_cast<std::size_t>(to)]; }});
    QStringList rates;
    for (const int rate : kRates) rates << (rate == 0 ? tr("Session") : tr("%1 kHz").arg(rate / 1000.0));
    const auto rate = std::ranges::find(kRates, r.sample_rate);
    add_choice(row,
               {kRate, "rate", rates, rate != kRates.end() ? static_cast<int>(rate - kRates.begin()) : 0,
                [](HandoverRow& here, int to) { here.sample_rate = kRates[static_cast<std::size_t>(to)]; }});
    for (const Column c : {kFile, kState, kLoudness, kPeak}) setItem(row, c, fixed({}));
    show_levels(row, table, nullptr);
    allow_depth(row, has_depth(r.container, Depth::Pcm24));
}

// Targets of the table's own come first.
void DeliveryRowsView::add_target_choice(int row, const HandoverTemplate& table) {
    QStringList names{tr("As it is")};
    std::vector<std::string> keys{""};
    for (const auto* list : {&table.targets, &standard_targets()}) {
        for (const auto& t : *list) {
            names << QString("%1  %2").arg(t.integrated_lufs, 0, 'f', 0).arg(text(t.name));
            keys.push_back(t.key);
        }
    }
    const auto at = std::ranges::find(keys, table.rows[static_cast<std::size_t>(row)].target);
    add_choice(row,
               {kTarget, "target", names, at != keys.end() ? static_cast<int>(at - keys.begin()) : 0,
                [keys](HandoverRow& here, int to) { here.target = keys[static_cast<std::size_t>(to)]; }});
}

void DeliveryRowsView::show_file_names(const QStringList& names) {
    const QSignalBlocker quiet(this);
    for (int row = 0; row < std::min(rowCount(), static_cast<int>(names.size())); ++row) {
        auto* cell = item(row, kFile);
        if (cell == nullptr) continue;
        cell->setText(names[row]);
        cell->setToolTip(names[row]);
    }
    fit_heights();
}

void DeliveryRowsView::show_results_only(bool only) {
    for (const Column c : {kSettings, kVersion, kTarget, kKind, kDepth, kRate}) setColumnHidden(c, only);
    fit_heights();
}

void DeliveryRowsView::follow(int row, const HandoverTemplate& table) {
    keys_ = table.rows;
    show_levels(row, table, nullptr);
    allow_depth(row, has_depth(keys_[static_cast<std::size_t>(row)].container, Depth::Pcm24));
    show_folds();
}

void DeliveryRowsView::fit_heights() {
    constexpr int kLeast = 34;
    for (int row = 0; row < rowCount(); ++row) {
        const auto* cell = item(row, kFile);
        if (cell == nullptr) continue;
        const int wanted = names_->height_of(cell->text(), font(), columnWidth(kFile));
        if (const int height = std::max(kLeast, wanted); rowHeight(row) != height) setRowHeight(row, height);
    }
}

void DeliveryRowsView::resizeEvent(QResizeEvent* event) {
    QTableWidget::resizeEvent(event);
    fit_heights();
}

void DeliveryRowsView::show_state(int row, const QString& state, const QString& sentence, bool trouble) {
    const QSignalBlocker quiet(this);
    auto* cell = item(row, kState);
    if (cell == nullptr) return;
    cell->setText(state);
    cell->setToolTip(sentence);
    cell->setForeground(trouble ? colour::kWarn : colour::kText);
}

void DeliveryRowsView::show_levels(int row, const HandoverTemplate& table, const DeliveredRow* delivered) {
    const QSignalBlocker quiet(this);
    if (row >= rowCount() || row >= static_cast<int>(table.rows.size())) return;
    const HandoverRow& asked = table.rows[static_cast<std::size_t>(row)];
    const LoudnessTarget* target = find_target(table.targets, asked.target);
    const Level lufs = delivered != nullptr ? delivered->gated_lufs : Level();
    const Level peak = delivered != nullptr ? delivered->course.loudness.true_peak_dbtp : Level();
    const auto show = [&](Column column, const QString& words, bool measured,
                          const std::optional<Tolerance>& bar) {
        auto* cell = item(row, column);
        cell->setText(words);
        cell->setForeground(measured ? colour::kText : colour::kDim);
        cell->setData(ToleranceDelegate::kRole, bar ? QVariant::fromValue(*bar) : QVariant());
    };
    // Only a mix is brought to a loudness; under the ceiling all are held.
    const bool aims = target != nullptr && asked.content == Content::Mix;
    const bool codes = asked.container == Container::Picture ? picture_codes_ || asked.ac3
                                                             : coded_kind(asked.container).has_value();
    const AllowedLevels allowed = target != nullptr ? allowed_levels(*target, codes) : AllowedLevels();
    const bool capped = target != nullptr && asked.content != Content::Limiter;
    const auto number = [](double value) { return QString::number(value, 'f', 1); };
    show(kLoudness,
         delivered != nullptr ? text(level_words(lufs, "LUFS"))
         : aims ? tr("%1 ± %2").arg(number(target->integrated_lufs), number(target->tolerance_lu))
                : QString(),
         delivered != nullptr,
         aims ? std::optional(loudness_tolerance(*target, allowed, lufs)) : std::nullopt);
    show(kPeak,
         delivered != nullptr ? (peak ? text(level_words(peak, "dBTP")) : QString())
         : capped             ? tr("at most %1").arg(number(target->true_peak_dbtp))
                              : QString(),
         delivered != nullptr, capped ? std::optional(peak_tolerance(*target, allowed, peak)) : std::nullopt);
}

void DeliveryRowsView::allow_depth(int row, bool allowed) {
    if (QWidget* depth = cellWidget(row, kDepth)) depth->setEnabled(allowed);
}

}  // namespace rivlen::app
