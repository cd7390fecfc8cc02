// Losses that listen to the stems as sound: they see phase, and times and frequencies finer than a mask's.
#pragma once

#include <torch/torch.h>

#include <string>
#include <vector>

#include "learn/mixer.h"

namespace rivlen::learn {

// logits [clips, 4, frames, 256]. kind "wave": sum of |estimate - stem| over samples, against that of |mix|.
// "multi": squared error of square-root magnitudes at transforms of 512 and 8192, against the sum of the
// mix's magnitudes. Mean over clips, of the mid channel.
[[nodiscard]] torch::Tensor sound_loss(const torch::Tensor& logits, const std::vector<Mix>& mixes,
                                       const std::string& kind);

}  // namespace rivlen::learn
