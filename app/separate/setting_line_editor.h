// SPDX-License-Identifier: GPL-3.0-or-later
// A setting's line over time, drawn and changed on the lane of its stem.
#pragma once

#include <QWidget>
#include <optional>

#include "app/separate/lanes.h"
#include "app/shell/document.h"
#include "app/widgets/lane_editor.h"
#include "app/widgets/time_view.h"

namespace rivlen::app {

class SettingLineEditor : public QWidget {
    Q_OBJECT
  public:
    // Lies over the lane of the stem whose line is open; hidden while none is.
    SettingLineEditor(Document& document, TimeView& view, LaneCanvas& lanes);
    void open(std::size_t stem, Setting setting);
    void close_line();
    [[nodiscard]] std::optional<Setting> setting() const { return setting_; }
    [[nodiscard]] QPointF position_of(const Breakpoint& point) const;

  signals:
    void opened_or_closed();

  protected:
    bool event(QEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    [[nodiscard]] std::span<const Breakpoint> points() const;
    [[nodiscard]] LaneScale scale() const;
    void change(const QString& name, bool drag, const std::function<void(LaneEditor::Points&)>& act);
    void lie_over_lane();
    Document& document_;
    TimeView& view_;
    LaneCanvas& lanes_;
    std::size_t stem_ = 0;
    std::optional<Setting> setting_;
    LaneEditor lane_;
    bool dragging_ = false;
};

}  // namespace rivlen::app
