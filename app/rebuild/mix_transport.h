// SPDX-License-Identifier: GPL-3.0-or-later
// The transport of the rebuild: play, loop, record, where the playhead is, and how loud the mix is.
#pragma once

#include <QLabel>
#include <QToolButton>
#include <QWidget>
#include <cstdint>

#include "core/play/mix_player.h"
#include "core/project/timeline.h"

namespace rivlen::app {

// How alike both sides are, from opposite (left end) to the same (right end).
class CorrelationBar : public QWidget {
    Q_OBJECT
  public:
    explicit CorrelationBar(QWidget* parent = nullptr);
    void show_value(Level value);
    [[nodiscard]] Level shown() const { return value_; }

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    Level value_;
};

class MixTransport : public QWidget {
    Q_OBJECT
  public:
    explicit MixTransport(QWidget* parent = nullptr);
    void follow_session(const Timeline& timeline);
    void show_playing(bool playing);
    void show_recording(bool recording) { record_->setChecked(recording); }
    void show_silences(bool open) { silences_->setChecked(open); }
    // has_loudspeakers: the device has more than two channels.
    void show_listening(Monitoring monitoring, bool has_loudspeakers);
    // timecode: empty while the session has no rate.
    void show_position(const QString& timecode, std::int64_t frame);
    void show_loudness(const MixPlayer::Meters& meters);

  signals:
    void play_wanted();
    void loop_wanted();
    void record_wanted();
    void silences_wanted();
    void listening_wanted(rivlen::Monitoring monitoring);

  private:
    QLabel *time_, *samples_, *loudness_;
    CorrelationBar* correlation_;
    QToolButton *play_, *loop_, *record_, *silences_;
    QComboBox* listening_;
};

}  // namespace rivlen::app
