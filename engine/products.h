// The network's large matrix products, in float32 or, where asked for, with factors rounded to bfloat16 (sums
// stay float32): on processors with instructions for it that is faster, and the masks are nearly the same
// (docs/model.md has both figures).
#pragma once

#include <torch/torch.h>

namespace rivlen {

// For the products of this thread while it lives; only where no gradients are kept.
class HalfProducts {
  public:
    explicit HalfProducts(bool on);
    HalfProducts(const HalfProducts&) = delete;
    HalfProducts& operator=(const HalfProducts&) = delete;
    ~HalfProducts();

  private:
    bool before_;
};

// bias + x w; x [..., rows, in], w [..., in, out], float32 in and out.
[[nodiscard]] torch::Tensor product(const torch::Tensor& bias, const torch::Tensor& x,
                                    const torch::Tensor& w);

}  // namespace rivlen
