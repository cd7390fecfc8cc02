// SPDX-License-Identifier: GPL-3.0-or-later
// Playback of a rebuild: the mix engine behind the transport, with loudness of the main bus measured as it
// goes.
#pragma once

#include <atomic>
#include <memory>
#include <optional>

#include "core/metering/loudness.h"
#include "core/mix/engine.h"
#include "core/play/transport.h"

namespace rivlen {

class MixPlayer : public Transport {
  public:
    MixPlayer();
    ~MixPlayer() override;

    // Another state of the rebuild; playing goes on. Null: nothing.
    void set_plan(std::shared_ptr<const MixPlan> plan);
    // Loudness is measured anew from here.
    void measure_anew() { anew_ = true; }
    struct Meters {
        // None: silence, or nothing measured yet.
        std::optional<double> momentary_lufs, short_term_lufs, integrated_lufs, true_peak_dbtp;
    };
    [[nodiscard]] Meters meters() const;

  protected:
    bool take_wanted() override;
    [[nodiscard]] bool has_material() const override { return engine_ != nullptr; }
    void seek_to(std::int64_t frame) override;
    void render(Block& block) override;

  private:
    static constexpr std::size_t kBlockFrames = 512;
    // What the loudness meter says of silence, or before anything is measured.
    static constexpr double kSilenceLufs = -120, kSilenceDbtp = -200;
    std::shared_ptr<const MixPlan> wanted_, now_;  // wanted_: under the mutex
    std::unique_ptr<MixEngine> engine_;
    std::unique_ptr<LoudnessMeter> loudness_;
    std::vector<std::vector<float>> sides_;
    std::atomic<bool> anew_{false};
    std::atomic<double> momentary_{kSilenceLufs}, short_term_{kSilenceLufs}, integrated_{kSilenceLufs},
        true_peak_{kSilenceDbtp};
    int since_measured_ = 0;
};

}  // namespace rivlen
