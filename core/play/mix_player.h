// SPDX-License-Identifier: GPL-3.0-or-later
// Playback of a rebuild: the mix engine behind the transport, with loudness of the main bus measured as it
// goes.
#pragma once

#include <atomic>
#include <memory>

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
        double momentary_lufs = -120, short_term_lufs = -120, integrated_lufs = -120, true_peak_dbtp = -200;
    };
    [[nodiscard]] Meters meters() const;

  protected:
    bool take_wanted() override;
    [[nodiscard]] bool has_material() const override { return engine_ != nullptr; }
    void seek_to(std::int64_t frame) override;
    void render(Block& block) override;

  private:
    static constexpr std::size_t kBlockFrames = 512;
    std::shared_ptr<const MixPlan> wanted_, now_;  // wanted_: under the mutex
    std::unique_ptr<MixEngine> engine_;
    std::unique_ptr<LoudnessMeter> loudness_;
    std::vector<std::vector<float>> sides_;
    std::atomic<bool> anew_{false};
    std::atomic<double> momentary_{-120}, short_term_{-120}, integrated_{-120}, true_peak_{-200};
    int since_measured_ = 0;
};

}  // namespace rivlen
