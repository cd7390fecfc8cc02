// SPDX-License-Identifier: GPL-3.0-or-later
// Figures of the chosen stem over the loop range, measured in the background whenever something moves.
#pragma once

#include <QObject>
#include <QTimer>
#include <memory>
#include <vector>

#include "app/shell/document.h"
#include "core/assessment/proposal.h"
#include "core/assessment/risk_line.h"
#include "core/assessment/tradeoff.h"
#include "core/metering/level.h"

namespace rivlen::app {

inline constexpr std::size_t kCurvePoints = 41;
inline constexpr double kFullRisk = 0.6;  // is drawn at full height

// What is known of one set of settings over the loop.
struct Measured {
    TradeOff figures;
    std::vector<TradeOff> curve;  // over isolation; all other settings as they are
    std::vector<float> risk;      // over the loop
    Level loudness_lufs;          // of what is kept
};

class Measuring : public QObject {
    Q_OBJECT
  public:
    Measuring(Document& document, JobList& jobs, QObject* parent = nullptr);
    void choose(std::size_t stem);
    [[nodiscard]] std::size_t stem() const { return stem_; }
    void set_purpose(Purpose purpose);
    [[nodiscard]] Purpose purpose() const { return purpose_; }

    // Null or empty while nothing has been measured yet.
    [[nodiscard]] const Measured* now() const { return now_ ? &*now_ : nullptr; }
    [[nodiscard]] const Measured* card(std::size_t index) const;
    [[nodiscard]] const Assessment::Spectra* spectra() const { return spectra_ ? &*spectra_ : nullptr; }
    [[nodiscard]] const Proposal* proposal() const { return proposal_ ? &*proposal_ : nullptr; }
    [[nodiscard]] const RiskLine& risk() const { return risk_; }
    // What is doubted of the masks themselves, by the same steps; spots are of both kinds.
    void set_doubt(std::vector<float> doubt);
    [[nodiscard]] const std::vector<float>& doubt() const { return doubt_; }
    [[nodiscard]] const std::vector<RiskSpot>& spots() const { return spots_; }
    [[nodiscard]] bool settled() const;  // nothing is being measured or waits to be

  signals:
    void changed();
    void risk_changed();

  private:
    void follow();
    void prepare();
    void measure();
    void measure_cards();
    void measure_whole();
    [[nodiscard]] LoopRange range() const;
    [[nodiscard]] ShapeSettings settings() const;

    Document& document_;
    JobList& jobs_;
    std::size_t stem_ = 0;
    Purpose purpose_ = Purpose::Alone;
    std::shared_ptr<const Source> source_;
    std::shared_ptr<const MaskMap> map_;
    LoopRange range_;
    std::shared_ptr<const Assessment> assessment_;
    std::optional<ShapeSettings> measured_settings_;
    std::size_t measured_stem_ = 0;
    std::optional<Measured> now_;
    std::optional<Assessment::Spectra> spectra_;
    std::optional<Proposal> proposal_;
    struct CardFigures {
        ShapeSettings settings;
        Measured measured;
    };
    std::array<std::optional<CardFigures>, kCards> cards_;
    RiskLine risk_;
    std::vector<float> doubt_;
    std::vector<RiskSpot> spots_;
    std::optional<TimedSettings> risk_settings_;
    int prepare_job_ = 0, measure_job_ = 0, cards_job_ = 0, risk_job_ = 0;
    QTimer measure_timer_, risk_timer_;
};

}  // namespace rivlen::app
