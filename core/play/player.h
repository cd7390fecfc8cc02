// SPDX-License-Identifier: GPL-3.0-or-later
// Playback of one recording. What is heard can be switched between the source, what is kept, what is removed
// and single stems: both sides of a switch are rendered for one block and cross-faded, so that there is no
// gap. kept + removed = source, always.
#pragma once

#include <array>
#include <memory>

#include "core/media/source.h"
#include "core/play/transport.h"
#include "core/separation/audition.h"
#include "core/separation/mask_map.h"
#include "core/separation/timed.h"

namespace rivlen {

// One channel goes to both sides; of more than two, the first two are heard.
class Player : public Transport {
  public:
    Player();
    ~Player() override;

    // Stops and takes another recording (map may be null: then everything is kept).
    void set_material(std::shared_ptr<const Source> source, std::shared_ptr<const MaskMap> map);
    void set_settings(TimedSettings settings);
    void set_monitor(Monitor monitor);
    // Linear gain for each way of listening, so that all are equally loud.
    void set_match_gains(const std::array<float, kMonitors>& gains);

  protected:
    bool take_wanted() override;
    [[nodiscard]] bool has_material() const override { return renderer_ != nullptr; }
    void seek_to(std::int64_t frame) override;
    void render(Block& block) override;

  private:
    struct Wanted {  // what the controlling thread asks of the render thread
        std::shared_ptr<const Source> source;
        std::shared_ptr<const MaskMap> map;
        std::shared_ptr<const TimedMaskWeights> weight_sets;  // never null
        Monitor monitor = Monitor::Kept;
        std::array<float, kMonitors> gains{};
        std::uint64_t material = 0;  // counts changes of source or map
    };
    class Renderer;
    Wanted wanted_;  // under the mutex
    Wanted now_;     // render thread's own
    std::unique_ptr<Renderer> renderer_;
};

}  // namespace rivlen
