#include "engine/products.h"

namespace rivlen {

namespace {

thread_local bool half_products = false;

}  // namespace

HalfProducts::HalfProducts(bool on) : before_(half_products) {
    half_products = on;
}
HalfProducts::~HalfProducts() {
    half_products = before_;
}

torch::Tensor product(const torch::Tensor& bias, const torch::Tensor& x, const torch::Tensor& w) {
    if (half_products && !torch::GradMode::is_enabled())
        return torch::matmul(x.to(torch::kBFloat16), w.to(torch::kBFloat16)).to(torch::kFloat32).add_(bias);
    return x.dim() == 2 ? torch::addmm(bias, x, w) : torch::baddbmm(bias, x, w);
}

}  // namespace rivlen
