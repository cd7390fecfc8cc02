// SPDX-License-Identifier: GPL-3.0-or-later
// The source over its stems on one time axis: each lane a spectrogram with its outline, the loop range and
// playhead.
#pragma once

#include <QPixmap>
#include <QWidget>
#include <array>
#include <optional>

#include "app/shell/document.h"
#include "app/widgets/tiles.h"
#include "app/widgets/time_view.h"
#include "core/play/player.h"
#include "core/separation/doubt.h"
#include "core/separation/music_parts.h"

namespace rivlen::app {

// The source, then the stems and the parts of the music, by index.
inline constexpr int kLanes = 1 + kSounds;
[[nodiscard]] constexpr int lane_of_sound(std::size_t sound) {
    return 1 + static_cast<int>(sound);
}
// From top to bottom: the parts stand below the music.
inline constexpr std::array<int, kLanes> kLaneOrder = {0, 1, 2, 3, 5, 6, 7, 8, 4};

class LaneCanvas : public QWidget {
    Q_OBJECT
  public:
    LaneCanvas(Document& document, Player& player, TimeView& view, QWidget* parent = nullptr);
    void set_chosen(int sound);
    // The lanes of the music's parts, or none.
    void unfold(bool on);
    [[nodiscard]] bool unfolded() const { return unfolded_; }
    [[nodiscard]] bool shows(int lane) const { return unfolded_ || !is_part(lane); }
    // Everything on the screen has been drawn from finished tiles.
    [[nodiscard]] bool complete() const { return complete_ && tiles_.idle(); }
    // Where a lane is; empty while another one is enlarged.
    [[nodiscard]] QRect lane_rect(int lane) const;
    // One lane over the whole height, with its own frequency range; none: all of them.
    void enlarge(std::optional<int> lane);
    [[nodiscard]] std::optional<int> enlarged() const { return enlarged_; }
    void set_range(const FrequencyRange& range);
    // What is shown: the range that was set while a lane is enlarged, else all frequencies.
    [[nodiscard]] FrequencyRange range() const { return enlarged_ ? range_ : FrequencyRange(); }
    // Drawn over the source, and over an enlarged lane; null: not.
    // Of the stems, over the source and over an enlarged lane; of the parts of the music, over the unfolded
    // music and over an enlarged part. Null: none.
    void show_doubt(std::shared_ptr<const DoubtPicture> stems, std::shared_ptr<const DoubtPicture> parts);
    void scroll_frequencies(double part);
    void zoom_frequencies(double factor, double around_hz);
    // The lane under a place, if any, and what lies there.
    [[nodiscard]] std::optional<int> lane_at(QPointF at) const;
    [[nodiscard]] double hz_at(int lane, double y) const;
    [[nodiscard]] double y_of(int lane, double hz) const;
    // Level of a lane at a place in dBFS, as it is drawn; none while it is still being made.
    [[nodiscard]] std::optional<double> level_at(int lane, double seconds, double hz);

    // The recording over all of its time.
    void draw_overview(QPainter& painter, const TimeView& whole, QSize size);

  signals:
    void drawn_anew();  // there is more to see, or something else
    void lane_clicked(int lane);
    void range_changed();

  protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;

  private:
    void draw_back();
    void draw_lane(QPainter& painter, int lane, const QRect& rect);
    void draw_frequencies(QPainter& painter, const QRect& rect) const;
    void show_rows();
    [[nodiscard]] std::int64_t frame_at(double x) const;
    [[nodiscard]] static bool is_part(int lane) {
        return lane > 0 && is_music_part(static_cast<std::size_t>(lane - 1));
    }
    Document& document_;
    Player& player_;
    TimeView& view_;
    TileStore tiles_;
    QPixmap back_;
    bool back_valid_ = false, complete_ = false, unfolded_ = false;
    int chosen_ = 0;
    std::optional<int> enlarged_;
    FrequencyRange range_{FrequencyScale::Log, 50, 16000};
    [[nodiscard]] const DoubtPicture* doubt_over(int lane) const;
    std::shared_ptr<const DoubtPicture> doubt_, parts_doubt_;
    double press_x_ = -1;
    bool dragging_ = false;
};

}  // namespace rivlen::app
