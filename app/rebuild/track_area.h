// SPDX-License-Identifier: GPL-3.0-or-later
// The tracks and buses of the rebuild with their heads, under the times: rows that fill what there is, or are
// as high as was asked for.
#pragma once

#include <QScrollArea>
#include <QVBoxLayout>
#include <QWidget>
#include <vector>

#include "app/rebuild/mix_ruler.h"
#include "app/rebuild/strip_header.h"
#include "app/rebuild/track_canvas.h"
#include "app/shell/document.h"
#include "app/shell/level_watch.h"
#include "app/shell/selection.h"
#include "app/widgets/overview_strip.h"
#include "app/widgets/time_view.h"
#include "core/metering/loudness_trace.h"
#include "core/play/mix_player.h"

namespace rivlen::app {

class TrackArea : public QWidget {
    Q_OBJECT
  public:
    // tools: what stands beside the times, as wide as the heads.
    TrackArea(Document& document, MixPlayer& player, TimeView& view, Selection& selection, LevelWatch& levels,
              SetStripValue set_value, QWidget* tools, QWidget* parent = nullptr);
    static constexpr int kHeadWidth = 196;
    void follow_session();
    void follow_playhead(SessionFrame playhead);
    // Loudness of the main bus where it has just been played.
    void add_loudness(std::int64_t frame, double lufs) { loudness_.add(frame, lufs); }
    // A row before or behind another one, by the ids of their strips; the same at the ends.
    [[nodiscard]] int strip_beside(int strip, int by) const;
    // Of all rows, in pixels; kept from one start to the next.
    void set_row_height(int height);
    // The pointer lies over a control, or over a line that can be drawn.
    [[nodiscard]] bool hand_is_near() const;
    [[nodiscard]] TrackCanvas& canvas() { return *canvas_; }
    [[nodiscard]] MixRuler& ruler() { return *ruler_; }
    [[nodiscard]] OverviewStrip& overview() { return *overview_; }
    [[nodiscard]] const std::vector<StripHeader*>& headers() const { return headers_; }

  protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    QLayout* build_times(QWidget* tools);
    QWidget* build_rows();
    void build_headers();
    void fit_rows();
    void draw_overview(QPainter& painter, const TimeView& whole) const;
    Document& document_;
    MixPlayer& player_;
    TimeView& view_;
    Selection& selection_;
    LevelWatch& levels_;
    SetStripValue set_value_;
    QScrollArea* scroll_;
    QVBoxLayout* over_time_ = nullptr;
    MixRuler* ruler_ = nullptr;
    OverviewStrip* overview_ = nullptr;
    TrackCanvas* canvas_ = nullptr;
    QWidget* heads_ = nullptr;
    std::vector<StripHeader*> headers_;
    std::vector<int> headed_;  // ids that headers were made for
    LoudnessTrace loudness_;   // of the mix as it is now
    int asked_height_ = 0;     // of rows; 0: none
};

}  // namespace rivlen::app
