// A bidirectional gated recurrent unit as one operation with a backward pass of its own: Cho et al.,
// "Learning phrase representations using RNN encoder-decoder", 2014, in the form (and with the order of
// gates) of torch::nn::GRU, whose weights it takes:
//   r = s(Wr x + br + Ur h + cr)    z = s(Wz x + bz + Uz h + cz)    n = tanh(Wn x + bn + r (Un h + cn))
//   h' = (1 - z) n + z h
// One call handles all steps, so that the matrix products with x are one large product, and what is small and
// many (gates, and their slopes) is a plain loop that the compiler turns into vector code.
#pragma once

#include <torch/torch.h>

#include <array>

namespace rivlen {

struct GruWeights {           // of one direction
    torch::Tensor weight_ih;  // [3 hidden, width], gates r, z, n
    torch::Tensor weight_hh;  // [3 hidden, hidden]
    torch::Tensor bias_ih, bias_hh;
};

// x [outer, steps, inner, width], float32, contiguous -> [outer, steps, inner, 2 hidden]: forward direction,
// then backward. Runs along `steps`; every pair of outer and inner is a sequence of its own.
//
// With memory_steps > 0 (outer must be 1) the output of step t depends on at most 2 memory_steps - 1 steps
// before it (after it, backward) and on nothing further away: steps are taken in windows of memory_steps, and
// each begins with an empty state one window early. Within a window the output goes over, along a smooth
// curve, from its own state to that of the next one, which has been warming up there; so it never jumps. All
// windows run side by side, which also makes few large products of many small ones.
[[nodiscard]] torch::Tensor bidirectional_gru(const torch::Tensor& x,
                                              const std::array<GruWeights, 2>& weights,
                                              std::int64_t memory_steps = 0);

// The weights as a module, named as those of torch::nn::GRU.
class BidirectionalGru : public torch::nn::Module {
  public:
    BidirectionalGru(std::int64_t width, std::int64_t hidden);
    [[nodiscard]] torch::Tensor forward(const torch::Tensor& x, std::int64_t memory_steps = 0) const {
        return bidirectional_gru(x, weights_, memory_steps);
    }

  private:
    std::array<GruWeights, 2> weights_;
};

}  // namespace rivlen
