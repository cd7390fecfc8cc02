#include "engine/recurrence.h"

#include <cmath>

#include "engine/gates.h"
#include "engine/products.h"

namespace rivlen {

namespace {

using torch::Tensor;
using torch::autograd::AutogradContext;
using torch::autograd::variable_list;

struct Sizes {
    std::int64_t outer, steps, inner, width, hidden;
    [[nodiscard]] std::int64_t rows() const { return outer * inner; }
    // Row of x (or of the output) where a step begins.
    [[nodiscard]] Rows step_rows() const { return {outer, inner, steps * inner}; }
};
Sizes sizes_of(const Tensor& x, const Tensor& weight_hh) {
    return {x.size(0), x.size(1), x.size(2), x.size(3), weight_hh.size(1)};
}

// Runs one direction; `out` points at its half of the output. Leaves what the backward pass needs in kept
// [steps, rows, 4 hidden] and states [steps + 1, rows, hidden] (states[s] is h before step s of the order in
// which steps are taken), or only uses them as scratch when they hold a single step.
void run_direction(const Tensor& x, const GruWeights& w, const Sizes& n, bool backwards, float* out,
                   Tensor& kept, Tensor& states) {
    const auto gx = product(w.bias_ih, x.view({-1, n.width}), w.weight_ih.t());
    const auto weight = w.weight_hh.t();
    auto gh = torch::empty({n.rows(), 3 * n.hidden});
    const bool keeps = kept.size(0) == n.steps;
    states[0].zero_();
    for (std::int64_t s = 0; s < n.steps; ++s) {
        const std::int64_t at = backwards ? n.steps - 1 - s : s;
        const auto before = states.select(0, keeps ? s : s % 2);
        at::addmm_out(gh, w.bias_hh, before, weight);
        gates(n.step_rows(), n.hidden, gx.data_ptr<float>() + at * n.inner * 3 * n.hidden,
              gh.data_ptr<float>(), before.data_ptr<float>(),
              kept.data_ptr<float>() + (keeps ? s : 0) * n.rows() * 4 * n.hidden,
              states.data_ptr<float>() + (keeps ? s + 1 : (s + 1) % 2) * n.rows() * n.hidden,
              out + at * n.inner * 2 * n.hidden, 2 * n.hidden);
    }
}

class Operation : public torch::autograd::Function<Operation> {
  public:
    static Tensor forward(AutogradContext* context, const Tensor& x, const Tensor& ih0, const Tensor& hh0,
                          const Tensor& bih0, const Tensor& bhh0, const Tensor& ih1, const Tensor& hh1,
                          const Tensor& bih1, const Tensor& bhh1) {
        const std::array<GruWeights, 2> weights{GruWeights{ih0, hh0, bih0, bhh0},
                                                GruWeights{ih1, hh1, bih1, bhh1}};
        const Sizes n = sizes_of(x, hh0);
        auto out = torch::empty({n.outer, n.steps, n.inner, 2 * n.hidden});
        variable_list saved{x, ih0, hh0, ih1, hh1};
        for (int d = 0; d < 2; ++d) {
            auto kept = torch::empty({n.steps, n.rows(), 4 * n.hidden});
            auto states = torch::empty({n.steps + 1, n.rows(), n.hidden});
            run_direction(x, weights[static_cast<std::size_t>(d)], n, d == 1,
                          out.data_ptr<float>() + d * n.hidden, kept, states);
            saved.push_back(kept);
            saved.push_back(states);
        }
        context->save_for_backward(saved);
        return out;
    }

    static variable_list backward(AutogradContext* context, variable_list slopes) {
        const auto saved = context->get_saved_variables();
        const Tensor& x = saved[0];
        const Sizes n = sizes_of(x, saved[2]);
        const auto dout = slopes[0].contiguous();
        const auto flat_x = x.view({-1, n.width});
        auto dx = torch::zeros_like(flat_x);
        variable_list result{Tensor()};
        auto dgx = torch::empty({n.outer * n.steps * n.inner, 3 * n.hidden});
        auto dgh = torch::empty({n.rows(), 3 * n.hidden});
        for (std::size_t d = 0; d < 2; ++d) {
            const Tensor& weight_ih = saved[1 + 2 * d];
            const Tensor& weight_hh = saved[2 + 2 * d];
            const Tensor& kept = saved[5 + 2 * d];
            const Tensor& states = saved[6 + 2 * d];
            auto carry = torch::zeros({n.rows(), n.hidden});
            auto dweight_hh = torch::zeros_like(weight_hh);
            auto dbias_hh = torch::zeros({3 * n.hidden});
            for (std::int64_t s = n.steps - 1; s >= 0; --s) {
                const std::int64_t at = d == 1 ? n.steps - 1 - s : s;
                const auto before = states.select(0, s);
                gate_slopes(n.step_rows(), n.hidden,
                            dout.data_ptr<float>() + at * n.inner * 2 * n.hidden +
                                static_cast<std::int64_t>(d) * n.hidden,
                            2 * n.hidden, before.data_ptr<float>(),
                            kept.data_ptr<float>() + s * n.rows() * 4 * n.hidden, carry.data_ptr<float>(),
                            dgh.data_ptr<float>(), dgx.data_ptr<float>() + at * n.inner * 3 * n.hidden);
                carry.addmm_(dgh, weight_hh);
                dweight_hh.addmm_(dgh.t(), before);
                dbias_hh.add_(dgh.sum(0));
            }
            dx.addmm_(dgx, weight_ih);
            result.push_back(dgx.t().mm(flat_x));
            result.push_back(dweight_hh);
            result.push_back(dgx.sum(0));
            result.push_back(dbias_hh);
        }
        result[0] = dx.view(x.sizes());
        return result;
    }
};

}  // namespace

Tensor bidirectional_gru(const Tensor& x, const std::array<GruWeights, 2>& w) {
    if (torch::GradMode::is_enabled()) {
        return Operation::apply(x, w[0].weight_ih, w[0].weight_hh, w[0].bias_ih, w[0].bias_hh, w[1].weight_ih,
                                w[1].weight_hh, w[1].bias_ih, w[1].bias_hh);
    }
    const Sizes n = sizes_of(x, w[0].weight_hh);
    auto out = torch::empty({n.outer, n.steps, n.inner, 2 * n.hidden});
    auto kept = torch::empty({1, n.rows(), 4 * n.hidden});
    auto states = torch::empty({2, n.rows(), n.hidden});
    for (std::size_t d = 0; d < 2; ++d)
        run_direction(x, w[d], n, d == 1, out.data_ptr<float>() + static_cast<std::int64_t>(d) * n.hidden,
                      kept, states);
    return out;
}

BidirectionalGru::BidirectionalGru(std::int64_t width, std::int64_t hidden) {
    const double reach = 1.0 / std::sqrt(static_cast<double>(hidden));
    for (std::size_t d = 0; d < 2; ++d) {
        const std::string end = d == 0 ? "_l0" : "_l0_reverse";
        const auto draw = [&](const std::string& name, std::vector<std::int64_t> shape) {
            return register_parameter(name + end, torch::empty(shape).uniform_(-reach, reach));
        };
        weights_[d].weight_ih = draw("weight_ih", {3 * hidden, width});
        weights_[d].weight_hh = draw("weight_hh", {3 * hidden, hidden});
        weights_[d].bias_ih = draw("bias_ih", {3 * hidden});
        weights_[d].bias_hh = draw("bias_hh", {3 * hidden});
    }
}

}  // namespace rivlen
