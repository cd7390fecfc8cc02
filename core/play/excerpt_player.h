// SPDX-License-Identifier: GPL-3.0-or-later
// A few seconds of sound from memory, once, on the first two channels of the output.
#pragma once

#include <memory>

#include "core/base/audio_block.h"
#include "core/play/transport.h"

namespace rivlen {

class ExcerptPlayer : public Transport {
  public:
    ExcerptPlayer();
    ~ExcerptPlayer() override;
    // Plays it from its start on, in place of what it played; null: nothing any more. One channel is heard on
    // both sides, of more than two the first two. Controlling thread.
    void hear(std::shared_ptr<const AudioBlock> sound);

  protected:
    bool take_wanted() override;
    [[nodiscard]] bool has_material() const override { return now_ != nullptr; }
    void seek_to(std::int64_t frame) override { at_ = static_cast<std::size_t>(frame); }
    void render(Block& block) override;

  private:
    static constexpr std::size_t kBlockFrames = 1024;
    std::shared_ptr<const AudioBlock> wanted_, now_;  // wanted_: under the mutex
    std::size_t at_ = 0;
};

}  // namespace rivlen
