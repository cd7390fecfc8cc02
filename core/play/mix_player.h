// SPDX-License-Identifier: GPL-3.0-or-later
// Playback of a rebuild: the mix engine behind the transport, heard through a monitor, with loudness of the
// main bus measured as it goes.
#pragma once

#include <array>
#include <atomic>
#include <cmath>
#include <limits>
#include <memory>
#include <optional>

#include "core/base/audio_block.h"
#include "core/metering/correlation.h"
#include "core/metering/loudness.h"
#include "core/mix/engine.h"
#include "core/play/transport.h"
#include "core/space/space_monitor.h"

namespace rivlen {

class MixPlayer : public Transport {
  public:
    MixPlayer();
    ~MixPlayer() override;

    // Another state of the rebuild; playing goes on. Null: nothing.
    void set_plan(std::shared_ptr<const MixPlan> plan);
    // How the main bus is heard; a change is faded to. Headphones need a head at the session's rate, and are
    // folded down until there is one; loudspeakers are those of set_device(). Controlling thread; head is not
    // used by another one meanwhile.
    void set_monitoring(Monitoring monitoring, std::shared_ptr<const HeadResponses> head,
                        const ConversionSettings& settings = {});
    // What the device's channels are; stereo before. Controlling thread.
    void set_device(Layout device);
    // A hand lies on the controls: changes are to be heard within 30 ms, at the price of outlasting shorter
    // stalls only. Where that has led to drop-outs, twice as much is kept ready from then on. Controlling
    // thread.
    void set_hands_on(bool on);
    // Loudness is measured anew from here.
    void measure_anew() { anew_ = true; }
    struct Meters {
        // None: silence, or nothing measured yet.
        Level momentary_lufs, short_term_lufs, integrated_lufs, true_peak_dbtp;
        Level correlation;  // of the sides that are heard, -1 to 1
    };
    [[nodiscard]] Meters meters() const;
    // Of a channel of the main bus, since playing began; missing for silence.
    [[nodiscard]] Level true_peak_dbtp(std::size_t channel) const {
        return channel < kMostChannels ? channel_true_peaks_[channel].get() : Level();
    }

  protected:
    bool take_wanted() override;
    [[nodiscard]] bool has_material() const override { return engine_ != nullptr; }
    void seek_to(std::int64_t frame) override;
    void render(Block& block) override;

  private:
    static constexpr std::size_t kBlockFrames = 256;
    // A Level that the window may read at any time; no number is a missing one.
    class SharedLevel {
      public:
        void set(Level level) { value_ = level.value_or(std::numeric_limits<double>::quiet_NaN()); }
        [[nodiscard]] Level get() const {
            const double value = value_;
            return std::isnan(value) ? Level() : Level(value);
        }

      private:
        std::atomic<double> value_{std::numeric_limits<double>::quiet_NaN()};
    };
    void want_monitor();
    void measure_from_here();
    std::shared_ptr<const MixPlan> wanted_, now_;  // wanted_: under the mutex
    // How it is to be heard: the controlling thread's. The monitor of it, and of which layout and rate, under
    // the mutex.
    Monitoring monitoring_ = Monitoring::FoldDown;
    Layout device_ = Layout::Stereo;
    std::shared_ptr<const HeadResponses> head_;
    ConversionSettings conversion_;
    std::unique_ptr<SpaceMonitor> wanted_monitor_;
    std::optional<Layout> monitored_;
    int monitored_rate_ = 0;
    std::unique_ptr<MixEngine> engine_;
    std::unique_ptr<LoudnessMeter> loudness_;
    SwitchedSpaceMonitor monitor_;
    AudioBlock mix_, heard_;
    std::atomic<bool> anew_{false};
    std::optional<CorrelationMeter> correlation_;
    SharedLevel momentary_, short_term_, integrated_, true_peak_, alike_;
    std::array<SharedLevel, kMostChannels> channel_true_peaks_;
    int since_measured_ = 0;
    bool hands_on_ = false;
    double hands_on_seconds_;
    std::uint64_t drop_outs_before_ = 0;  // the hand came
};

}  // namespace rivlen
