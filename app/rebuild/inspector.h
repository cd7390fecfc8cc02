// SPDX-License-Identifier: GPL-3.0-or-later
// The side of the rebuild: what can be set for the chosen clips and the chosen track or bus, its chain, its
// ducking, and the silences of talk.
#pragma once

#include <QWidget>
#include <functional>
#include <vector>

#include "app/rebuild/part_graph.h"
#include "app/rebuild/strip_header.h"
#include "app/shell/document.h"
#include "app/shell/level_watch.h"
#include "app/shell/selection.h"
#include "app/widgets/parameter_slider.h"
#include "core/mix/levelling.h"
#include "core/play/mix_player.h"
#include "core/project/silences.h"

class QLabel;
class QToolButton;
class QVBoxLayout;

namespace rivlen::app {

class Inspector : public QWidget {
    Q_OBJECT
  public:
    Inspector(Document& document, Selection& selection, LevelWatch& levels, SetStripValue set_value,
              QWidget* parent = nullptr);
    void follow_playhead();
    // Meters of the chain's parts: reduction in dB by the part's id.
    void show_reduction(const std::function<double(int part)>& of);
    // Behind the strip's chain, for its graphs.
    void show_spectrum(const std::vector<float>& levels);
    [[nodiscard]] bool wants_spectrum() const { return !graphs_.empty(); }
    // What a repair takes out, for its graph.
    void show_removed(int part, const std::vector<float>& levels);
    [[nodiscard]] std::vector<LoopRange> silences();
    [[nodiscard]] bool silences_shown() const { return silences_open_; }
    void open_silences(bool open);

  signals:
    void replace_wanted(int clip);
    void look_wanted(int track);
    // The amount of one part from what the track plays.
    void proposal_wanted(int track, int part);
    // How a part is to be heard; 0: none otherwise than as its result.
    void hearing_wanted(int part, Chain::Audition what);
    void silences_changed();
    void said(const QString& sentence, bool trouble);

  private:
    void follow();
    void build();
    void build_clip(QVBoxLayout* column);
    void build_strip(QVBoxLayout* column);
    void build_chain(QVBoxLayout* column);
    void build_ducking(QVBoxLayout* column);
    void build_silences(QVBoxLayout* column);
    void edit_strip(const QString& label, const QString& key, const std::function<void(Strip&)>& change);
    ParameterSlider* add_rail(QVBoxLayout* column, const ParameterInfo& info, const QString& name,
                              const std::function<double()>& value, const std::function<void(double)>& set);
    [[nodiscard]] QString shape() const;  // of what is shown: built anew when it changes
    Document& document_;
    Selection& selection_;
    LevelWatch& levels_;
    SetStripValue set_value_;
    SilenceSettings silence_;
    bool silences_open_ = false;
    QString built_;
    QWidget* content_ = nullptr;
    QVBoxLayout* outer_;
    std::vector<std::function<void()>> refresh_;
    struct Meter {
        int part;
        QLabel* label;
        double shown = 0;
    };
    std::vector<Meter> meters_;
    struct Graph {
        int part;
        PartGraph* graph;
    };
    std::vector<Graph> graphs_;  // those with a spectrum
    LevelSettings levelling_;
    int heard_ = 0;
    Chain::Audition heard_as_ = Chain::Audition::Result;
    void build_part(QVBoxLayout* column, std::size_t place);
    QToolButton* presets_button(int part, std::size_t place);
    QToolButton* hearing_button(int part, std::size_t place, Chain::Audition what);
    void build_levelling(QVBoxLayout* column);
    void keep_as_file(const QString& title, const std::vector<Insert>& parts);
    void take_chain(const std::vector<Insert>& parts);
};

}  // namespace rivlen::app
