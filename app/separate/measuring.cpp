// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/separate/measuring.h"

#include "core/assessment/level_match.h"

namespace rivlen::app {

namespace {
constexpr std::size_t kMostSpots = 40;

constexpr std::int64_t kLongestSeconds = 30;  // of a loop that is measured; longer ones by their beginning
constexpr int kCurveRestMs = 30;              // settings must rest this long before the curve is made again
constexpr int kRiskRestMs = 350;

Measured measure_all(const Source& source, const MaskMap& map, const Assessment& assessment, LoopRange range,
                     const ShapeSettings& settings, std::size_t stem, bool loudness, const JobControl& job) {
    Measured out;
    const MaskWeights weights = stem_weights(settings.stems[stem], stem);
    out.figures = assessment.measure(weights, stem);
    out.curve = assessment.curve(settings.stems[stem], stem, kCurvePoints);
    out.risk = assessment.risk(weights, stem);
    if (loudness) {
        const auto match = measure_match(source, &map, settings, range.first, range.last, job);
        if (match) out.loudness_lufs = match->loudness_lufs[static_cast<std::size_t>(Monitor::Kept)];
    }
    return out;
}

}  // namespace

Measuring::Measuring(Document& document, JobList& jobs, QObject* parent)
    : QObject(parent), document_(document), jobs_(jobs) {
    measure_timer_.setSingleShot(true);
    measure_timer_.setInterval(kCurveRestMs);
    risk_timer_.setSingleShot(true);
    risk_timer_.setInterval(kRiskRestMs);
    connect(&measure_timer_, &QTimer::timeout, this, &Measuring::measure);
    connect(&risk_timer_, &QTimer::timeout, this, &Measuring::measure_whole);
    connect(&document_, &Document::session_changed, this, &Measuring::follow);
    connect(&document_, &Document::material_changed, this, &Measuring::follow);
}

void Measuring::choose(std::size_t stem) {
    if (stem == stem_) return;
    stem_ = stem;
    cards_ = {};
    risk_settings_.reset();
    follow();
}

void Measuring::set_purpose(Purpose purpose) {
    purpose_ = purpose;
    if (now_) proposal_ = propose(now_->curve, purpose_);
    emit changed();
}

const Measured* Measuring::card(std::size_t index) const {
    return cards_[index] ? &cards_[index]->measured : nullptr;
}

void Measuring::set_doubt(std::vector<float> doubt) {
    doubt_ = std::move(doubt);
    spots_ = worst_spots(with_doubt(risk_, doubt_), kMostSpots);
    emit risk_changed();
}

bool Measuring::settled() const {
    return prepare_job_ == 0 && measure_job_ == 0 && cards_job_ == 0 && risk_job_ == 0 &&
           !measure_timer_.isActive() && !risk_timer_.isActive();
}

LoopRange Measuring::range() const {
    const auto source = document_.source();
    if (!source) return {};
    const auto* item = document_.current_item();
    LoopRange range{0, static_cast<std::int64_t>(source->frames())};
    if (item != nullptr && item->loop) range = *item->loop;
    range.last = std::min(range.last, range.first + kLongestSeconds * source->sample_rate());
    return range;
}

// Lines count with what they say in the middle of what is measured.
ShapeSettings Measuring::settings() const {
    const auto* item = document_.current_item();
    return item != nullptr ? item->edited_at((range_.first + range_.last) / 2) : ShapeSettings{};
}

void Measuring::follow() {
    const auto source = document_.source();
    const auto map = document_.map();
    const LoopRange wanted = range();
    if (source != source_ || map != map_ || wanted != range_) {
        if (source != source_ || map != map_) {
            risk_ = {};
            spots_.clear();
            risk_settings_.reset();
            emit risk_changed();
        }
        source_ = source;
        map_ = map;
        range_ = wanted;
        assessment_.reset();
        measured_settings_.reset();
        now_.reset();
        spectra_.reset();
        proposal_.reset();
        cards_ = {};
        emit changed();
        prepare();
    }
    const auto* item = document_.current_item();
    if (item == nullptr || !map_) return;
    if (assessment_ && (measured_settings_ != settings() || measured_stem_ != stem_)) measure_timer_.start();
    if (assessment_) measure_cards();
    if (risk_settings_ != item->timed()) risk_timer_.start();
}

void Measuring::prepare() {
    if (prepare_job_ != 0) jobs_.cancel(prepare_job_);
    prepare_job_ = 0;
    if (!source_ || !map_ || range_.last <= range_.first) return;
    auto made = std::make_shared<std::shared_ptr<const Assessment>>();
    prepare_job_ = jobs_.start(
        tr("Measuring"),
        [source = source_, map = map_, range = range_, made](const JobControl& job) -> Status {
            auto assessment = Assessment::prepare(*source, *map, range.first, range.last, job);
            if (!assessment) return assessment.error();
            *made = std::make_shared<const Assessment>(std::move(*assessment));
            return {};
        },
        [this, made](const Status& status) {
            if (!status && status.error().kind == ErrorKind::Cancelled) return;  // another has begun
            prepare_job_ = 0;
            if (!status) return;
            assessment_ = *made;
            measure();
            measure_cards();
        },
        true);
}

void Measuring::measure() {
    const auto* item = document_.current_item();
    if (!assessment_ || item == nullptr) return;
    if (measure_job_ != 0) return;  // whatever has moved meanwhile is measured next
    auto result = std::make_shared<Measured>();
    auto spectra = std::make_shared<Assessment::Spectra>();
    measure_job_ = jobs_.start(
        tr("Measuring"),
        [source = source_, map = map_, assessment = assessment_, range = range_, settings = settings(),
         stem = stem_, result, spectra](const JobControl& job) -> Status {
            *result = measure_all(*source, *map, *assessment, range, settings, stem, false, job);
            *spectra = assessment->spectra(stem);
            return {};
        },
        [this, result, spectra, settings = settings(), stem = stem_, used = assessment_](const Status&) {
            measure_job_ = 0;
            if (used == assessment_) {
                measured_settings_ = settings;
                measured_stem_ = stem;
                now_ = std::move(*result);
                spectra_ = *spectra;
                proposal_ = propose(now_->curve, purpose_);
                emit changed();
            }
            follow();
        },
        true);
}

void Measuring::measure_cards() {
    const auto* item = document_.current_item();
    if (!assessment_ || item == nullptr || cards_job_ != 0) return;
    std::size_t wanted = kCards;
    for (std::size_t i = 0; i < kCards; ++i) {
        if (!item->cards[i]) {
            cards_[i].reset();
        } else if (!cards_[i] || cards_[i]->settings != item->cards[i]->settings) {
            wanted = std::min(wanted, i);
        }
    }
    if (wanted == kCards) return;
    auto result = std::make_shared<Measured>();
    const ShapeSettings settings = item->cards[wanted]->settings;
    cards_job_ = jobs_.start(
        tr("Measuring"),
        [source = source_, map = map_, assessment = assessment_, range = range_, settings, stem = stem_,
         result](const JobControl& job) -> Status {
            *result = measure_all(*source, *map, *assessment, range, settings, stem, true, job);
            return {};
        },
        [this, result, settings, wanted, stem = stem_, used = assessment_](const Status&) {
            cards_job_ = 0;
            if (used == assessment_ && stem == stem_)
                cards_[wanted] = CardFigures{settings, std::move(*result)};
            emit changed();
            measure_cards();
        },
        true);
}

void Measuring::measure_whole() {
    const auto* item = document_.current_item();
    if (!map_ || item == nullptr) return;
    if (risk_job_ != 0) jobs_.cancel(risk_job_);
    auto line = std::make_shared<RiskLine>();
    risk_settings_ = item->timed();
    risk_job_ = jobs_.start(
        tr("Measuring the risk line"),
        [source = source_, map = map_, settings = *risk_settings_, stem = stem_,
         line](const JobControl& job) -> Status {
            auto measured = measure_risk(*source, *map, settings, stem, 2, job);
            if (!measured) return measured.error();
            *line = std::move(*measured);
            return {};
        },
        [this, line, used = map_](const Status& status) {
            if (!status && status.error().kind == ErrorKind::Cancelled) return;
            risk_job_ = 0;
            if (!status || used != map_) return;
            risk_ = std::move(*line);
            spots_ = worst_spots(with_doubt(risk_, doubt_), kMostSpots);
            emit risk_changed();
        },
        true);
}

}  // namespace rivlen::app
