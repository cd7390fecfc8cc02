// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/separate/correcting.h"

#include <algorithm>
#include <cmath>

#include "app/widgets/text.h"
#include "app/widgets/theme.h"
#include "core/project/corrections_json.h"

namespace rivlen::app {

Correcting::Correcting(Document& document, JobList& jobs, QObject* parent)
    : QObject(parent), document_(document), jobs_(jobs) {
    connect(&document_, &Document::session_changed, this, &Correcting::follow_session);
    connect(&document_, &Document::material_changed, this, [this] {
        if (document_.map() != facts_of_) look_at_region();
    });
}

const std::vector<Correction>& Correcting::all() const {
    static const std::vector<Correction> kNone;
    const SessionItem* item = document_.current_item();
    return item != nullptr ? item->corrections : kNone;
}

const Correction* Correcting::find(int id) const {
    const auto found = std::ranges::find(all(), id, &Correction::id);
    return found != all().end() ? &*found : nullptr;
}

// Undo, or another recording: what was chosen may be gone or changed.
void Correcting::follow_session() {
    if (chosen_ != 0) {
        const Correction* c = find(chosen_);
        if (c == nullptr) {
            chosen_ = 0;
            region_.reset();
            places_.clear();
            look_at_region();
        } else if (!region_ || !(c->region == *region_)) {
            region_ = c->region;
            look_at_region();
        }
    }
    emit changed();
}

void Correcting::set_tool(Tool tool) {
    tool_ = tool;
    emit changed();
}

void Correcting::set_region(Region region, bool merge) {
    if (!normalise(region)) return;
    region_ = region;
    if (!merge) places_.clear();
    if (chosen_ != 0) {
        edit(tr("Draw a region"), merge ? "region" : QString(), [&](Correction& c) { c.region = region; });
    } else {
        emit changed();
    }
    if (hearing_ != Hearing::All) emit hearing_changed();
    look_at_region();
}

void Correcting::clear() {
    document_.close_step();
    region_.reset();
    chosen_ = 0;
    places_.clear();
    hear(Hearing::All);
    look_at_region();
    emit changed();
}

void Correcting::move(double seconds, double semitones) {
    if (region_) set_region(moved(*region_, seconds, semitones), true);
}

void Correcting::grow(double seconds, double semitones) {
    if (!region_) return;
    Region region = *region_;
    if (region.shape == RegionShape::Brush) {
        region.brush_ms += 1000 * seconds;
        region.brush_semitones += semitones;
        return set_region(std::move(region), true);
    }
    // Points away from the first and lowest border move in proportion.
    const RegionBounds b = bounds_of(region);
    const double low = semitones_of_hz(b.lowest_hz);
    const double width = b.last_seconds - b.first_seconds, height = semitones_of_hz(b.highest_hz) - low;
    for (auto& point : region.points) {
        point.seconds += seconds * (point.seconds - b.first_seconds) / width;
        point.hz = hz_of_semitones(semitones_of_hz(point.hz) +
                                   semitones * (semitones_of_hz(point.hz) - low) / height);
    }
    set_region(std::move(region), true);
}

void Correcting::look_at_region() {
    facts_.reset();
    facts_of_ = document_.map();
    const auto source = document_.source();
    ++facts_wanted_;
    if (!region_ || !source) return;
    if (facts_job_ != 0) return;  // looks again when it is done
    facts_job_ = jobs_.start_for<RegionFacts>(
        tr("Looking at the region"),
        [region = *region_, source, map = facts_of_](const JobControl&) -> Result<RegionFacts> {
            return facts_of(region, *source, map.get());
        },
        [this, wanted = facts_wanted_](const Result<RegionFacts>& facts) {
            facts_job_ = 0;
            if (wanted != facts_wanted_) return look_at_region();
            if (facts) facts_ = *facts;
            emit changed();
        },
        true);
}

Correction Correcting::shown() const {
    if (const Correction* c = find(chosen_)) return *c;
    Correction out = draft_;
    if (region_) {
        Region region = *region_;
        region.edge_ms = draft_.region.edge_ms;
        region.edge_semitones = draft_.region.edge_semitones;
        region.brush_ms = draft_.region.brush_ms;
        region.brush_semitones = draft_.region.brush_semitones;
        region.harmonics = draft_.region.harmonics;
        region.partial = draft_.region.partial;
        out.region = region;
    }
    if (tool_ == Tool::Brush) out.region.shape = RegionShape::Brush;
    return out;
}

void Correcting::edit(const QString& label, const QString& key,
                      const std::function<void(Correction&)>& change) {
    document_.edit_corrections(label, key, [&](std::vector<Correction>& all) {
        const auto found = std::ranges::find(all, chosen_, &Correction::id);
        if (found != all.end()) change(*found);
    });
}

void Correcting::set(CorrectionSetting setting, double value) {
    set_value(draft_, setting, value);
    if (chosen_ != 0) {
        edit(words(info(setting).label), info(setting).key,
             [&](Correction& c) { set_value(c, setting, value); });
    } else if (region_) {
        region_ = shown().region;
        look_at_region();
    }
    emit changed();
}

void Correcting::set_harmonics(bool on) {
    draft_.region.harmonics = on;
    if (chosen_ != 0) {
        edit(tr("Harmonics"), {}, [on](Correction& c) { c.region.harmonics = on; });
    } else if (region_) {
        region_ = shown().region;
        look_at_region();
    }
    emit changed();
}

void Correcting::set_from(std::size_t sound, bool on) {
    set_taken_from(draft_, sound, on);
    if (chosen_ != 0)
        edit(tr("Stems to take from"), {}, [&](Correction& c) { set_taken_from(c, sound, on); });
    emit changed();
}

void Correcting::make(Correction correction, const QString& label) {
    if (!document_.map()) return emit said(tr("Split the recording first."), false);
    if (chosen_ != 0) {
        const auto keep = [&](Correction& c) {
            c.act = correction.act;
            c.to = correction.to;
            c.to_part = correction.to_part;
            if (c.name.empty() || c.name == draft_.name) c.name = correction.name;
        };
        return edit(label, {}, keep);
    }
    if (!region_)
        return emit said(tr("Draw a region first: a box (Q), an outline (U) or with the brush (I)."), false);
    int id = 0;
    document_.edit_corrections(label, {}, [&](std::vector<Correction>& all) {
        correction.id = id = new_correction_id(all);
        all.push_back(correction);
    });
    chosen_ = id;
    emit changed();
}

void Correcting::give(std::size_t sound) {
    Correction c = shown();
    c.act = CorrectionAct::Give;
    give_to(c, sound);
    c.name = tr("To %1").arg(stem_label(sound)).toStdString();
    make(std::move(c), tr("Give to %1").arg(stem_label(sound)));
}

void Correcting::act(CorrectionAct act) {
    Correction c = shown();
    c.act = act;
    c.name = words(info(act).label).toStdString();
    make(std::move(c), words(info(act).label));
}

void Correcting::choose(int id) {
    const Correction* c = find(id);
    document_.close_step();
    if (chosen_ != id) places_.clear();
    chosen_ = c != nullptr ? id : 0;
    if (c != nullptr) {
        region_ = c->region;
        const RegionBounds b = bounds_of(c->region);
        emit region_shown(b.first_seconds, b.last_seconds);
    } else {
        region_.reset();
    }
    if (hearing_ != Hearing::All) emit hearing_changed();
    look_at_region();
    emit changed();
}

void Correcting::step(int by) {
    std::vector<std::pair<double, int>> order;
    for (const auto& c : all()) order.emplace_back(bounds_of(c.region).first_seconds, c.id);
    if (order.empty()) return emit said(tr("Nothing has been put right by hand yet."), false);
    std::ranges::sort(order);
    const auto at = std::ranges::find(order, chosen_, &std::pair<double, int>::second);
    const auto count = std::ssize(order);
    const auto now = at != order.end() ? at - order.begin() : (by > 0 ? -1 : count);
    choose(order[static_cast<std::size_t>(std::clamp<std::ptrdiff_t>(now + by, 0, count - 1))].second);
}

void Correcting::remove() {
    if (chosen_ == 0) return clear();
    const int id = chosen_;
    chosen_ = 0;
    document_.edit_corrections(tr("Remove the correction"), {}, [id](std::vector<Correction>& all) {
        std::erase_if(all, [id](const Correction& c) { return c.id == id; });
    });
    clear();
}

void Correcting::rename(int id, const QString& name) {
    const Correction* c = find(id);
    if (c == nullptr || text(c->name) == name) return;
    document_.edit_corrections(tr("Name the correction"), {}, [&](std::vector<Correction>& all) {
        std::ranges::find(all, id, &Correction::id)->name = name.toStdString();
    });
}

void Correcting::switch_on(int id, bool on) {
    const Correction* c = find(id);
    if (c == nullptr || c->on == on) return;
    document_.edit_corrections(
        on ? tr("Correction on") : tr("Correction off"), {},
        [&](std::vector<Correction>& all) { std::ranges::find(all, id, &Correction::id)->on = on; });
}

void Correcting::switch_all() {
    const bool any = std::ranges::any_of(all(), &Correction::on);
    document_.edit_corrections(any ? tr("All corrections off") : tr("All corrections on"), {},
                               [any](std::vector<Correction>& all) {
                                   for (auto& c : all) c.on = !any;
                               });
    emit said(
        any ? tr("As the model had it. Shift+C brings the corrections back.") : tr("With the corrections."),
        false);
}

void Correcting::add_from(const std::filesystem::path& file) {
    const auto loaded = load_corrections(file);
    if (!loaded) return emit said(text(loaded.error().message), true);
    document_.edit_corrections(tr("Corrections from a file"), {},
                               [&](std::vector<Correction>& all) { append(all, *loaded); });
}

void Correcting::save_to(const std::filesystem::path& file) {
    const Status saved = save_corrections(all(), file);
    emit said(saved ? tr("\"%1\" written.").arg(text(file.filename())) : text(saved.error().message),
              !saved.ok());
}

void Correcting::find_similar() {
    const auto source = document_.source();
    if (!region_ || !source) return emit said(tr("Draw a region around the sound first."), false);
    if (places_job_ != 0) jobs_.cancel(places_job_);
    places_.clear();
    emit changed();
    places_job_ = jobs_.start_for<std::vector<SimilarPlace>>(
        tr("Looking for places like this"),
        [region = *region_, source](const JobControl& job) {
            constexpr double kLeastLikeness = 0.6;
            return similar_places(region, *source, kLeastLikeness, job);
        },
        [this](const Result<std::vector<SimilarPlace>>& found) {
            places_job_ = 0;
            if (!found)
                return emit said(text(found.error().message), found.error().kind != ErrorKind::Cancelled);
            places_ = *found;
            emit said(places_.empty() ? tr("No other place sounds like this.")
                                      : tr("Places that sound like this: %1.").arg(places_.size()),
                      false);
            emit changed();
        });
}

void Correcting::take_place(std::size_t index) {
    const Correction* c = find(chosen_);
    if (index >= places_.size()) return;
    if (c == nullptr)
        return emit said(tr("Put the region right first; then it can be done there, too."), false);
    document_.edit_corrections(tr("The same there"), {}, [&](std::vector<Correction>& all) {
        Correction copy = *std::ranges::find(all, chosen_, &Correction::id);
        copy.id = new_correction_id(all);
        copy.region = moved(copy.region, places_[index].by_seconds, 0);
        all.push_back(std::move(copy));
    });
    places_.erase(places_.begin() + static_cast<std::ptrdiff_t>(index));
    emit changed();
}

void Correcting::take_all_places() {
    if (find(chosen_) == nullptr)
        return emit said(tr("Put the region right first; then it can be done there, too."), false);
    document_.edit_corrections(tr("The same at all places"), {}, [&](std::vector<Correction>& all) {
        const Correction pattern = *std::ranges::find(all, chosen_, &Correction::id);
        for (const auto& place : places_) {
            Correction copy = pattern;
            copy.id = new_correction_id(all);
            copy.region = moved(copy.region, place.by_seconds, 0);
            all.push_back(std::move(copy));
        }
    });
    places_.clear();
    emit changed();
}

void Correcting::go_to(const DoubtedPlace& place) {
    clear();
    draft_.from = place.proposal.from;
    draft_.to = place.proposal.to;
    draft_.to_part.reset();
    draft_.region.harmonics = place.proposal.region.harmonics;
    draft_.region.edge_ms = place.proposal.region.edge_ms;
    set_region(place.proposal.region);
    emit region_shown(place.first_seconds, place.last_seconds);
}

void Correcting::take(const DoubtedPlace& place) {
    int id = 0;
    document_.edit_corrections(text(place.proposal.name), {}, [&](std::vector<Correction>& all) {
        Correction c = place.proposal;
        c.id = id = new_correction_id(all);
        all.push_back(std::move(c));
    });
    choose(id);
}

void Correcting::hear(Hearing what) {
    if (what != Hearing::All && !region_) {
        what = Hearing::All;
        emit said(tr("Draw a region first, or choose a correction."), false);
    }
    if (what == hearing_) return;
    hearing_ = what;
    emit hearing_changed();
    emit changed();
}

std::shared_ptr<const MaskMap> Correcting::heard(std::shared_ptr<const MaskMap> map) const {
    const auto source = document_.source();
    const auto model = document_.model_map();
    if (hearing_ == Hearing::All || !region_ || !map || !model || !source) return map;
    Correction light;
    light.act = CorrectionAct::TakeDown;
    light.take_down_db = kMostTakeDownDb;
    light.region = *region_;
    light.outside = hearing_ == Hearing::Region;
    auto with = all();
    with.push_back(light);
    const Material* material = document_.current_material();
    auto prepared = PreparedCorrections::prepare(with, *source, *model, {}, material->corrections.get());
    return prepared ? std::make_shared<const MaskMap>(model->corrected(std::move(*prepared))) : map;
}

}  // namespace rivlen::app
