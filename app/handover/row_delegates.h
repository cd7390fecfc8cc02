// SPDX-License-Identifier: GPL-3.0-or-later
// How cells of the table of deliveries are drawn: names whole, levels against what the target allows.
#pragma once

#include <QStyledItemDelegate>
#include <optional>

#include "core/delivery/delivery_proof.h"
#include "core/project/target.h"

namespace rivlen::app {

// The whole of a name, over as many lines as it takes.
class WholeNameDelegate : public QStyledItemDelegate {
    Q_OBJECT
  public:
    using QStyledItemDelegate::QStyledItemDelegate;
    void paint(QPainter* painter, const QStyleOptionViewItem& option,
               const QModelIndex& index) const override;
    [[nodiscard]] int height_of(const QString& name, const QFont& font, int width) const;
};

// What a level may be, and what it is.
struct Tolerance {
    double lowest = 0, highest = 0;       // allowed
    double scale_from = 0, scale_to = 0;  // drawn
    std::optional<double> measured;
    QString unit;
    [[nodiscard]] bool met() const { return measured && *measured >= lowest && *measured <= highest; }
};
// Loudness within its tolerance; peaks up to their ceiling.
[[nodiscard]] Tolerance loudness_tolerance(const LoudnessTarget& target, const AllowedLevels& allowed,
                                           std::optional<double> measured_lufs);
[[nodiscard]] Tolerance peak_tolerance(const LoudnessTarget& target, const AllowedLevels& allowed,
                                       std::optional<double> measured_dbtp);

// A number over a bar: what is allowed is filled, a mark stands where the level lies.
class ToleranceDelegate : public QStyledItemDelegate {
    Q_OBJECT
  public:
    static constexpr int kRole = Qt::UserRole + 1;  // a Tolerance
    using QStyledItemDelegate::QStyledItemDelegate;
    void paint(QPainter* painter, const QStyleOptionViewItem& option,
               const QModelIndex& index) const override;
};

}  // namespace rivlen::app

Q_DECLARE_METATYPE(rivlen::app::Tolerance)
