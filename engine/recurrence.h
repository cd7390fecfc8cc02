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
[[nodiscard]] torch::Tensor bidirectional_gru(const torch::Tensor& x,
                                              const std::array<GruWeights, 2>& weights);

// The weights as a module, named as those of torch::nn::GRU.
class BidirectionalGru : public torch::nn::Module {
  public:
    BidirectionalGru(std::int64_t width, std::int64_t hidden);
    [[nodiscard]] torch::Tensor forward(const torch::Tensor& x) const {
        return bidirectional_gru(x, weights_);
    }

  private:
    std::array<GruWeights, 2> weights_;
};

}  // namespace rivlen
