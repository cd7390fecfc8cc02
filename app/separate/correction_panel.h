// SPDX-License-Identifier: GPL-3.0-or-later
// The page for putting right by hand: tools, what is in the region, what can be made of it, and the list.
#pragma once

#include <QCheckBox>
#include <QLabel>
#include <QListWidget>
#include <QToolButton>
#include <QVBoxLayout>
#include <QWidget>
#include <array>

#include "app/separate/correcting.h"
#include "app/separate/doubting.h"
#include "app/widgets/parameter_slider.h"

namespace rivlen::app {

class CorrectionPanel : public QWidget {
    Q_OBJECT
  public:
    CorrectionPanel(Correcting& correcting, Doubting& doubting, QWidget* parent = nullptr);
    // What lies under the mouse on the lanes.
    void show_pointed(const QString& words) { pointed_->setText(words); }
    // Whether regions can be given to parts of the music.
    void show_parts(bool on) { parts_box_->setVisible(on); }

  signals:
    void tool_wanted(Correcting::Tool tool);

  private:
    QWidget* build_tools();
    QWidget* build_acts();
    void add_give_rows(QVBoxLayout* column, std::size_t first, std::size_t last);
    QWidget* build_settings();
    QWidget* build_list();
    QWidget* build_doubts();
    void show_doubts();
    void refresh();
    void show_facts();
    void show_list();
    void ask_file(bool save);
    Correcting& correcting_;
    Doubting& doubting_;
    std::array<QToolButton*, 3> tools_{}, hearing_{};
    std::array<QToolButton*, kSounds> give_{};
    std::array<QCheckBox*, kSounds> from_{};
    QWidget* parts_box_ = nullptr;  // of the music, where it is opened
    QLabel *facts_ = nullptr, *pointed_ = nullptr, *places_words_ = nullptr;
    std::array<QWidget*, kCorrectionSettings> rows_{};
    std::array<ParameterSlider*, kCorrectionSettings> sliders_{};
    QCheckBox* harmonics_ = nullptr;
    QListWidget *list_ = nullptr, *places_ = nullptr, *doubts_ = nullptr;
    QWidget *places_box_ = nullptr, *doubts_box_ = nullptr;
    bool filling_ = false;  // the list; what it then says of changes is not the user's
};

}  // namespace rivlen::app
