// SPDX-License-Identifier: GPL-3.0-or-later
// Channels of a track or bus and where it sounds from; how the main bus is heard.
#pragma once

#include "app/rebuild/field_view.h"
#include "app/rebuild/place_editor.h"
#include "app/rebuild/section.h"
#include "app/rebuild/strip_header.h"

namespace rivlen::app {

class SpaceSection : public Section {
    Q_OBJECT
  public:
    SpaceSection(Document& document, int strip_id, SetStripValue set_value, QWidget* parent);
    void follow_playhead(SessionFrame playhead) { playhead_ = playhead; }
    // Of what leaves the strip.
    void show_levels(Layout layout, std::span<const float> peaks) { levels_->show_peaks(layout, peaks); }
    // Of the main bus only.
    void show_true_peaks(const std::vector<Level>& peaks_dbtp) { levels_->show_true_peaks(peaks_dbtp); }
    [[nodiscard]] bool wants_field() const { return field_ != nullptr; }
    void show_field(std::span<const float> power) { field_->show_power(power); }
    // To lie over a picture all around; null: there is none.
    [[nodiscard]] QImage field_over_picture() const {
        return field_ != nullptr ? field_->over_picture() : QImage();
    }

  signals:
    void box_wanted();

  private:
    QComboBox* layout_box(int id);
    void add_value(const ParameterInfo& about, LaneTarget which);
    void add_place();
    void add_screen();
    void add_fold_down();
    void add_decoder();
    SetStripValue set_value_;
    int strip_;
    SessionFrame playhead_;
    ChannelLevels* levels_;
    FieldView* field_ = nullptr;
};

}  // namespace rivlen::app
