// SPDX-License-Identifier: GPL-3.0-or-later
// Putting right by hand: the region that is drawn, what is known of it, and what is made of it. The editor
// over the lanes and the page beside them show this and act through it.
#pragma once

#include <QObject>
#include <memory>
#include <optional>
#include <vector>

#include "app/shell/document.h"
#include "app/shell/jobs.h"
#include "core/assessment/doubts.h"
#include "core/separation/correction_settings.h"
#include "core/separation/region_facts.h"

namespace rivlen::app {

class Correcting : public QObject {
    Q_OBJECT
  public:
    enum class Tool { None, Box, Outline, Brush };
    enum class Hearing { All, Region, Rest };  // what of the sound is heard

    Correcting(Document& document, JobList& jobs, QObject* parent = nullptr);

    [[nodiscard]] Tool tool() const { return tool_; }
    void set_tool(Tool tool);

    // The region that is worked on; none: nothing is drawn. With a correction chosen it is that one's, and is
    // changed in it.
    [[nodiscard]] const Region* region() const { return region_ ? &*region_ : nullptr; }
    // merge: belongs to the change before, as in a drag.
    void set_region(Region region, bool merge = false);
    // Nothing drawn, nothing chosen.
    void clear();
    void move(double seconds, double semitones);
    // Its far end and its upper border go outwards, or inwards.
    void grow(double seconds, double semitones);
    [[nodiscard]] const RegionFacts* facts() const { return facts_ ? &*facts_ : nullptr; }

    // What the next correction will be, or the chosen one is.
    [[nodiscard]] Correction shown() const;
    void set(CorrectionSetting setting, double value);
    void set_harmonics(bool on);
    void set_from(std::size_t sound, bool on);
    void close_step() { document_.close_step(); }

    // Makes a correction of the region, or lets the chosen one do something else.
    void give(std::size_t sound);
    void act(CorrectionAct act);

    [[nodiscard]] const std::vector<Correction>& all() const;
    [[nodiscard]] int chosen() const { return chosen_; }  // its id; 0: none
    void choose(int id);
    void step(int by);  // through those there are, in order of time
    void remove();
    void rename(int id, const QString& name);
    void switch_on(int id, bool on);
    // All off, or on again when none is on.
    void switch_all();
    void add_from(const std::filesystem::path& file);
    void save_to(const std::filesystem::path& file);

    // Places that sound like the region, found in the background.
    void find_similar();
    [[nodiscard]] const std::vector<SimilarPlace>& places() const { return places_; }
    // The chosen correction at such a place, or at all of them.
    void take_place(std::size_t index);
    void take_all_places();

    // Goes to what is doubted, as a region to be worked on; or puts it right as it is proposed.
    void go_to(const DoubtedPlace& place);
    void take(const DoubtedPlace& place);

    [[nodiscard]] Hearing hearing() const { return hearing_; }
    void hear(Hearing what);
    // The map as it is to be heard now; `map` unless only the region or the rest is.
    [[nodiscard]] std::shared_ptr<const MaskMap> heard(std::shared_ptr<const MaskMap> map) const;
    [[nodiscard]] bool settled() const { return facts_job_ == 0 && places_job_ == 0; }

  signals:
    void changed();
    void hearing_changed();
    void region_shown(double first_seconds, double last_seconds);  // to be brought on the screen
    void said(const QString& sentence, bool trouble);

  private:
    void follow_session();
    void look_at_region();
    void edit(const QString& label, const QString& key, const std::function<void(Correction&)>& change);
    void make(Correction correction, const QString& label);
    [[nodiscard]] const Correction* find(int id) const;

    Document& document_;
    JobList& jobs_;
    Tool tool_ = Tool::None;
    std::optional<Region> region_;
    std::optional<RegionFacts> facts_;
    std::shared_ptr<const MaskMap> facts_of_;
    Correction draft_;  // all but its region
    int chosen_ = 0;
    std::vector<SimilarPlace> places_;
    Hearing hearing_ = Hearing::All;
    int facts_job_ = 0, facts_wanted_ = 0, places_job_ = 0;
};

}  // namespace rivlen::app
