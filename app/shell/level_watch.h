// SPDX-License-Identifier: GPL-3.0-or-later
// Levels of tracks over time, measured in the background when somebody needs them and kept until what the
// track plays changes: for the lines of ducking and for finding silences.
#pragma once

#include <QObject>
#include <QTimer>
#include <map>
#include <memory>
#include <vector>

#include "app/shell/document.h"
#include "core/mix/ducking.h"

namespace rivlen::app {

class LevelWatch : public QObject {
    Q_OBJECT
  public:
    LevelWatch(Document& document, JobList& jobs, QObject* parent = nullptr);
    // Levels of a track in steps of kDuckStep frames; null while they are being measured (changed() follows).
    [[nodiscard]] const std::vector<float>* levels(int track);
    // The ducking of a track at every step, in dB; empty while it is not known or where there is none.
    [[nodiscard]] const std::vector<float>& duck_gains_of(int track);
    [[nodiscard]] bool idle() const { return wanted_.empty(); }

  signals:
    void changed();

  private:
    struct Measured {
        std::vector<Clip> clips;  // that were measured, and with which settings
        std::vector<SessionItem> items;
        int card = 0;
        std::size_t media = 0;
        std::vector<float> levels;
        bool ready = false;
        int job = 0;
    };
    struct Ducked {
        Ducking ducking;
        std::vector<const std::vector<float>*> levels;  // of the keys
        std::size_t count = 0;
        std::vector<float> gains;
    };
    void measure();
    [[nodiscard]] bool holds(const Measured& measured, const Track& track) const;
    Document& document_;
    JobList& jobs_;
    QTimer rest_;  // edits that follow each other are measured once
    std::map<int, Measured> measured_;
    std::map<int, Ducked> ducked_;
    std::vector<int> wanted_;
    std::size_t media_ = 0;  // counts changes of what has been loaded
    std::vector<float> none_;
};

}  // namespace rivlen::app
