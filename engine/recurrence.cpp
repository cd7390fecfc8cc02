#include "engine/recurrence.h"

#include <algorithm>
#include <cmath>

#include "engine/gates.h"
#include "engine/products.h"

namespace rivlen {

namespace {

using torch::Tensor;
using torch::autograd::AutogradContext;
using torch::autograd::variable_list;

// Which rows of x every turn of a recurrence takes. All sequences (groups of `inner` rows) take their turns
// together, so that a turn is one matrix product.
class Schedule {
  public:
    Schedule(const Tensor& x, std::int64_t memory_steps)
        : outer_(x.size(0)), steps_(x.size(1)), inner_(x.size(2)), memory_(memory_steps) {
        if (memory_ >= steps_) memory_ = 0;  // every window would reach over everything
    }
    [[nodiscard]] std::int64_t inner() const { return inner_; }
    [[nodiscard]] std::int64_t turns() const { return memory_ > 0 ? 2 * memory_ : steps_; }
    [[nodiscard]] std::int64_t groups() const {
        return memory_ > 0 ? (steps_ + memory_ - 1) / memory_ : outer_;
    }
    [[nodiscard]] bool windowed() const { return memory_ > 0; }
    // The steps of these turns are another group's window, into which this one's output is only faded.
    [[nodiscard]] bool warms_up(std::int64_t turn) const { return turn < memory_; }
    // Of every step, how far the output has gone over from the window's group to the one that warms up there,
    // [steps, 1, 1]: from nothing where that begins to all where its own window follows.
    [[nodiscard]] Tensor fade(bool backwards) const {
        auto fade = torch::zeros({steps_, 1, 1});
        auto* at = fade.data_ptr<float>();
        for (std::int64_t t = 0; t < steps_; ++t) {
            const std::int64_t group = t / memory_;
            if (backwards ? group == 0 : group + 1 == groups()) continue;
            const std::int64_t in = t - group * memory_;
            const auto turn = static_cast<float>(backwards ? memory_ - 1 - in : in);
            const float u = (turn + 0.5F) / static_cast<float>(memory_);
            at[t] = u * u * (3.0F - 2.0F * u);
        }
        return fade;
    }

    struct Turn {
        std::int64_t first_group, groups;  // those that take part
        std::int64_t first_row;            // of x: where the first of them stands
        Rows rows;
    };
    [[nodiscard]] Turn turn(std::int64_t turn, bool backwards) const {
        if (memory_ == 0) {
            const std::int64_t at = backwards ? steps_ - 1 - turn : turn;
            return {0, outer_, at * inner_, {outer_, inner_, steps_ * inner_}};
        }
        // Group g stands at step (g - 1) memory + turn, or, backwards, (g + 2) memory - 1 - turn; those that
        // would stand outside the recording wait, or are done.
        std::int64_t first = 0;
        std::int64_t last = groups();
        std::int64_t at = 2 * memory_ - 1 - turn;
        if (backwards) {
            last = std::min(last, (steps_ + turn) / memory_ - 1);
        } else {
            first = warms_up(turn) ? 1 : 0;
            // One more window than the whole ones before the end; never negative before rounding.
            last = std::min(last, (steps_ - 1 - turn + 2 * memory_) / memory_);
            at = (first - 1) * memory_ + turn;
        }
        const std::int64_t groups = std::max(last - first, std::int64_t{0});
        return {first, groups, at * inner_, {groups, inner_, memory_ * inner_}};
    }

  private:
    std::int64_t outer_, steps_, inner_, memory_;
};

// Rows of the groups that take part, out of a tensor [groups, inner, ...] flattened to [rows, ...].
Tensor part_of(const Tensor& rows, const Schedule::Turn& turn) {
    return rows.narrow(0, turn.first_group * turn.rows.inner, turn.groups * turn.rows.inner);
}

// Runs one direction; `out` is its half of the output, [outer, steps, inner, hidden], a view. Leaves what the
// backward pass needs in kept [turns, rows, 4 hidden] and states [turns + 1, rows, hidden] (states[s] is h
// before turn s), or only uses them as scratch when they hold a single turn. States must be zero on entry:
// groups that wait begin there.
void run_direction(const Tensor& x, const GruWeights& w, const Schedule& schedule, bool backwards, Tensor out,
                   Tensor& kept, Tensor& states) {
    const std::int64_t hidden = w.weight_hh.size(1);
    const std::int64_t all_rows = schedule.groups() * schedule.inner();
    const auto gx = product(w.bias_ih, x.view({-1, x.size(3)}), w.weight_ih.t());
    const auto weight = w.weight_hh.t();
    const auto all_gh = torch::empty({all_rows, 3 * hidden});
    const bool keeps = kept.size(0) > 1 || schedule.turns() == 1;
    const auto early = schedule.windowed() ? torch::zeros({out.size(1), out.size(2), hidden}) : Tensor();
    for (std::int64_t s = 0; s < schedule.turns(); ++s) {
        const auto turn = schedule.turn(s, backwards);
        if (turn.groups == 0) continue;
        const auto before = part_of(states[keeps ? s : s % 2], turn);
        auto gh = part_of(all_gh, turn);
        at::addmm_out(gh, w.bias_hh, before, weight);
        const bool warm = schedule.warms_up(s);
        const std::int64_t width = warm ? hidden : 2 * hidden;
        gates(turn.rows, hidden, gx.data_ptr<float>() + turn.first_row * 3 * hidden, gh.data_ptr<float>(),
              before.data_ptr<float>(), part_of(kept[keeps ? s : 0], turn).data_ptr<float>(),
              part_of(states[keeps ? s + 1 : (s + 1) % 2], turn).data_ptr<float>(),
              (warm ? early : out).data_ptr<float>() + turn.first_row * width, width);
    }
    if (early.defined()) out[0].lerp_(early, schedule.fade(backwards));
}

class Operation : public torch::autograd::Function<Operation> {
  public:
    static Tensor forward(AutogradContext* context, std::int64_t memory_steps, const Tensor& x,
                          const Tensor& ih0, const Tensor& hh0, const Tensor& bih0, const Tensor& bhh0,
                          const Tensor& ih1, const Tensor& hh1, const Tensor& bih1, const Tensor& bhh1) {
        const std::array<GruWeights, 2> weights{GruWeights{ih0, hh0, bih0, bhh0},
                                                GruWeights{ih1, hh1, bih1, bhh1}};
        const Schedule schedule(x, memory_steps);
        const std::int64_t hidden = hh0.size(1);
        const std::int64_t rows = schedule.groups() * schedule.inner();
        auto out = torch::empty({x.size(0), x.size(1), x.size(2), 2 * hidden});
        context->saved_data["memory_steps"] = memory_steps;
        variable_list saved{x, ih0, hh0, ih1, hh1};
        for (int d = 0; d < 2; ++d) {
            auto kept = torch::empty({schedule.turns(), rows, 4 * hidden});
            auto states = torch::zeros({schedule.turns() + 1, rows, hidden});
            run_direction(x, weights[static_cast<std::size_t>(d)], schedule, d == 1,
                          out.narrow(3, d * hidden, hidden), kept, states);
            saved.push_back(kept);
            saved.push_back(states);
        }
        context->save_for_backward(saved);
        return out;
    }

    static variable_list backward(AutogradContext* context, variable_list slopes) {
        const auto saved = context->get_saved_variables();
        const Tensor& x = saved[0];
        const Schedule schedule(x, context->saved_data["memory_steps"].toInt());
        const std::int64_t hidden = saved[2].size(1);
        const std::int64_t rows = schedule.groups() * schedule.inner();
        const auto dout = slopes[0].contiguous();
        const auto flat_x = x.view({-1, x.size(3)});
        auto dx = torch::zeros_like(flat_x);
        variable_list result{Tensor(), Tensor()};
        const auto all_dgh = torch::empty({rows, 3 * hidden});
        for (std::size_t d = 0; d < 2; ++d) {
            const Tensor& weight_ih = saved[1 + 2 * d];
            const Tensor& weight_hh = saved[2 + 2 * d];
            const Tensor& kept = saved[5 + 2 * d];
            const Tensor& states = saved[6 + 2 * d];
            const auto all_carry = torch::zeros({rows, hidden});
            auto dweight_hh = torch::zeros_like(weight_hh);
            auto dbias_hh = torch::zeros({3 * hidden});
            // A step of x is used by the group whose output it is and by the one that warms up on it.
            auto dgx = torch::empty({flat_x.size(0), 3 * hidden});
            const auto warm_dgx = schedule.warms_up(0) ? torch::zeros_like(dgx) : Tensor();
            auto own_slope = dout.narrow(3, static_cast<std::int64_t>(d) * hidden, hidden);
            Tensor early_slope;
            if (schedule.windowed()) {
                const auto fade = schedule.fade(d == 1);
                early_slope = (own_slope[0] * fade).contiguous();
                own_slope = (own_slope[0] * (1.0 - fade)).contiguous();
            }
            const std::int64_t slope_width = schedule.windowed() ? hidden : 2 * hidden;
            for (std::int64_t s = schedule.turns() - 1; s >= 0; --s) {
                const auto turn = schedule.turn(s, d == 1);
                if (turn.groups == 0) continue;
                const bool warm = schedule.warms_up(s);
                const auto before = part_of(states[s], turn);
                const auto dgh = part_of(all_dgh, turn);
                auto carry = part_of(all_carry, turn);
                const auto& slope = warm ? early_slope : own_slope;
                gate_slopes(turn.rows, hidden, slope.data_ptr<float>() + turn.first_row * slope_width,
                            slope_width, before.data_ptr<float>(), part_of(kept[s], turn).data_ptr<float>(),
                            carry.data_ptr<float>(), dgh.data_ptr<float>(),
                            (warm ? warm_dgx : dgx).data_ptr<float>() + turn.first_row * 3 * hidden);
                carry.addmm_(dgh, weight_hh);
                dweight_hh.addmm_(dgh.t(), before);
                dbias_hh.add_(dgh.sum(0));
            }
            if (warm_dgx.defined()) dgx.add_(warm_dgx);
            dx.addmm_(dgx, weight_ih);
            result.push_back(dgx.t().mm(flat_x));
            result.push_back(dweight_hh);
            result.push_back(dgx.sum(0));
            result.push_back(dbias_hh);
        }
        result[1] = dx.view(x.sizes());
        return result;
    }
};

}  // namespace

Tensor bidirectional_gru(const Tensor& x, const std::array<GruWeights, 2>& w, std::int64_t memory_steps) {
    if (torch::GradMode::is_enabled()) {
        return Operation::apply(memory_steps, x, w[0].weight_ih, w[0].weight_hh, w[0].bias_ih, w[0].bias_hh,
                                w[1].weight_ih, w[1].weight_hh, w[1].bias_ih, w[1].bias_hh);
    }
    const Schedule schedule(x, memory_steps);
    const std::int64_t hidden = w[0].weight_hh.size(1);
    const std::int64_t rows = schedule.groups() * schedule.inner();
    auto out = torch::empty({x.size(0), x.size(1), x.size(2), 2 * hidden});
    auto kept = torch::empty({1, rows, 4 * hidden});
    for (std::size_t d = 0; d < 2; ++d) {
        auto states = torch::zeros({2, rows, hidden});
        run_direction(x, w[d], schedule, d == 1, out.narrow(3, static_cast<std::int64_t>(d) * hidden, hidden),
                      kept, states);
    }
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
