// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/units/operations.h"

#include <span>
#include <utility>

#include "engine/units/kernels.h"

namespace rivlen::units {

namespace {

using torch::Tensor;
using torch::autograd::AutogradContext;
using torch::autograd::Function;
using torch::autograd::variable_list;

const float* read(const Tensor& x) {
    return x.data_ptr<float>();
}
float* write(const Tensor& x) {
    return x.data_ptr<float>();
}

Sequences sequences_of(const Tensor& x, bool along_steps) {
    const Size steps = x.size(0);
    const Size positions = x.size(1);
    const Size clips = x.size(2);
    if (along_steps) return {1, steps, positions * clips, 0, positions * clips};
    return {steps, positions, clips, positions * clips, clips};
}

// The weights of a unit in one order, so that the operation, its gradients and its result speak of the same.
using RecurrentTensors = std::array<Tensor, 12>;
RecurrentTensors listed(const NormWeights& norm, const std::array<GruWeights, 2>& gru,
                        const LinearWeights& out) {
    return {norm.weight,    norm.bias,      gru[0].weight_ih, gru[0].weight_hh,
            gru[0].bias_ih, gru[0].bias_hh, gru[1].weight_ih, gru[1].weight_hh,
            gru[1].bias_ih, gru[1].bias_hh, out.weight,       out.bias};
}
template <typename Float, typename Pointer>
Recurrent<Float> recurrent_of(std::span<const Tensor> w, const Pointer& at) {
    Recurrent<Float> unit;
    unit.width = w[0].size(0);
    unit.hidden = w[3].size(1);
    unit.norm = {at(w[0]), at(w[1])};
    unit.gru = {Gru<Float>{at(w[2]), at(w[3]), at(w[4]), at(w[5])},
                Gru<Float>{at(w[6]), at(w[7]), at(w[8]), at(w[9])}};
    unit.out_weight = at(w[10]);
    unit.out_bias = at(w[11]);
    return unit;
}

variable_list zeros_like(std::span<const Tensor> tensors) {
    variable_list out;
    for (const auto& t : tensors) out.push_back(torch::zeros_like(t));
    return out;
}

// Everything that an operation saved, and the gradients of the part of it that are weights.
struct Saved {
    variable_list tensors;
    variable_list gradients;
    Saved(AutogradContext* context, std::size_t first_weight, std::size_t weights)
        : tensors(context->get_saved_variables()),
          gradients(zeros_like(std::span(tensors).subspan(first_weight, weights))) {}
};

class RecurrentOperation : public Function<RecurrentOperation> {
  public:
    static Tensor forward(AutogradContext* context, bool along_steps, const Reach& reach, const Tensor& x,
                          const Tensor& w0, const Tensor& w1, const Tensor& w2, const Tensor& w3,
                          const Tensor& w4, const Tensor& w5, const Tensor& w6, const Tensor& w7,
                          const Tensor& w8, const Tensor& w9, const Tensor& w10, const Tensor& w11) {
        const RecurrentTensors weights{w0, w1, w2, w3, w4, w5, w6, w7, w8, w9, w10, w11};
        const auto unit = recurrent_of<const float>(weights, read);
        const Sequences sequences = sequences_of(x, along_steps);
        auto out = torch::empty_like(x);
        auto activations =
            torch::empty({saved_values(sequences, reach, unit.hidden) * kernels().saved_bytes}, torch::kByte);
        auto states = torch::empty({state_floats(sequences, reach, unit.hidden)});
        const RecurrentMemory memory{activations.data_ptr(), write(states)};
        kernels().recurrent(sequences, reach, {}, unit, read(x), write(out), &memory);
        context->saved_data["along_steps"] = along_steps;
        context->saved_data["window"] = reach.window;
        context->saved_data["overlap"] = reach.overlap;
        variable_list saved{x, activations, states};
        saved.insert(saved.end(), weights.begin(), weights.end());
        context->save_for_backward(saved);
        return out;
    }
    static variable_list backward(AutogradContext* context,
                                  variable_list grads) {  // NOLINT(performance-unnecessary-value-param)
        Saved saved(context, 3, std::tuple_size_v<RecurrentTensors>);
        const Tensor& x = saved.tensors[0];
        const auto dout = grads[0].contiguous();
        auto dx = torch::empty_like(x);
        const RecurrentMemory memory{saved.tensors[1].data_ptr(), write(saved.tensors[2])};
        const auto& data = context->saved_data;
        kernels().recurrent_gradients(sequences_of(x, data.at("along_steps").toBool()),
                                      {data.at("window").toInt(), data.at("overlap").toInt()},
                                      recurrent_of<const float>(std::span(saved.tensors).subspan(3), read),
                                      read(x), memory, read(dout), write(dx),
                                      recurrent_of<float>(saved.gradients, write));
        variable_list result{Tensor(), Tensor(), dx};
        result.insert(result.end(), saved.gradients.begin(), saved.gradients.end());
        return result;
    }
};

template <typename Float, typename Pointer>
Perceptron<Float> perceptron_of(std::span<const Tensor> w, const Pointer& at) {
    return {w[0].size(0), w[2].size(0), {at(w[0]), at(w[1])}, at(w[2]), at(w[3]), at(w[4]), at(w[5])};
}

class PerceptronOperation : public Function<PerceptronOperation> {
  public:
    static Tensor forward(AutogradContext* context, const Tensor& x, const Tensor& norm_weight,
                          const Tensor& norm_bias, const Tensor& up_weight, const Tensor& up_bias,
                          const Tensor& out_weight, const Tensor& out_bias) {
        const std::array<Tensor, 6> weights{norm_weight, norm_bias, up_weight, up_bias, out_weight, out_bias};
        const auto unit = perceptron_of<const float>(weights, read);
        const Size rows = x.numel() / unit.width;
        auto out = torch::empty_like(x);
        auto hidden = torch::empty({rows, unit.inner});
        kernels().perceptron(rows, unit, read(x), write(out), write(hidden));
        variable_list saved{x, hidden};
        saved.insert(saved.end(), weights.begin(), weights.end());
        context->save_for_backward(saved);
        return out;
    }
    static variable_list backward(AutogradContext* context,
                                  variable_list grads) {  // NOLINT(performance-unnecessary-value-param)
        Saved saved(context, 2, 6);
        const Tensor& x = saved.tensors[0];
        const auto unit = perceptron_of<const float>(std::span(saved.tensors).subspan(2), read);
        const auto dout = grads[0].contiguous();
        auto dx = torch::empty_like(x);
        kernels().perceptron_gradients(x.numel() / unit.width, unit, read(x), read(saved.tensors[1]),
                                       read(dout), write(dx), perceptron_of<float>(saved.gradients, write));
        variable_list result{dx};
        result.insert(result.end(), saved.gradients.begin(), saved.gradients.end());
        return result;
    }
};

Patches patches_of(const Tensor& features, const PatchForm& form) {
    return {features.size(0), features.size(1), features.size(2), features.size(3),
            form.frames,      form.bands,       form.channels};
}
PatchForm form_of(AutogradContext* context) {
    const auto& data = context->saved_data;
    return {data.at("frames").toInt(), data.at("bands").toInt(), data.at("channels").toInt()};
}
void save_form(AutogradContext* context, const PatchForm& form) {
    context->saved_data["frames"] = form.frames;
    context->saved_data["bands"] = form.bands;
    context->saved_data["channels"] = form.channels;
}

class EmbedOperation : public Function<EmbedOperation> {
  public:
    static Tensor forward(AutogradContext* context, const PatchForm& form, const Tensor& features,
                          const Tensor& weight, const Tensor& bias) {
        const Patches patches = patches_of(features, form);
        const Size width = weight.size(2);
        auto out = torch::empty({patches.steps(), patches.positions(), patches.clips, width});
        kernels().embed(patches, {width, read(weight), read(bias)}, read(features), write(out));
        save_form(context, form);
        context->save_for_backward({features, weight, bias});
        return out;
    }
    static variable_list backward(AutogradContext* context,
                                  variable_list grads) {  // NOLINT(performance-unnecessary-value-param)
        const Saved saved(context, 1, 2);
        const Tensor& features = saved.tensors[0];
        const Tensor& weight = saved.tensors[1];
        const auto dout = grads[0].contiguous();
        kernels().embed_gradients(patches_of(features, form_of(context)),
                                  {weight.size(2), read(weight), nullptr}, read(features), read(dout),
                                  {weight.size(2), write(saved.gradients[0]), write(saved.gradients[1])});
        return {Tensor(), Tensor(), saved.gradients[0], saved.gradients[1]};
    }
};

template <typename Float, typename Pointer>
Head<Float> head_of(std::span<const Tensor> w, const Pointer& at) {
    return {w[0].size(0), w[2].size(1), w[2].size(2), w[4].size(2), {at(w[0]), at(w[1])},
            at(w[2]),     at(w[3]),     at(w[4]),     at(w[5])};
}

// The gradients are made along the way: nothing of the size of the logits is ever kept.
class HeadLossOperation : public Function<HeadLossOperation> {
  public:
    static Tensor forward(AutogradContext* context, const PatchForm& form, const LossTensors& targets,
                          const Tensor& features, const Tensor& x, const Tensor& norm_weight,
                          const Tensor& norm_bias, const Tensor& weight1, const Tensor& bias1,
                          const Tensor& weight2, const Tensor& bias2) {
        const std::array<Tensor, 6> weights{norm_weight, norm_bias, weight1, bias1, weight2, bias2};
        auto gradients = zeros_like(weights);
        auto dx = torch::empty_like(x);
        const double loss = kernels().head_loss(
            patches_of(features, form), head_of<const float>(weights, read), read(x), read(features),
            {read(targets.mixture), read(targets.cross), read(targets.absent), read(targets.weights)},
            write(dx), head_of<float>(gradients, write));
        gradients.insert(gradients.begin(), dx);
        context->save_for_backward(gradients);
        return torch::tensor(static_cast<float>(loss));
    }
    static variable_list backward(AutogradContext* context,
                                  variable_list grads) {  // NOLINT(performance-unnecessary-value-param)
        variable_list result{Tensor(), Tensor(), Tensor()};
        for (const auto& slope : context->get_saved_variables()) result.push_back(slope * grads[0]);
        return result;
    }
};

}  // namespace

Tensor recurrent(const Tensor& x, bool along_steps, const Reach& reach, const NormWeights& norm,
                 const std::array<GruWeights, 2>& gru, const LinearWeights& out) {
    const auto in = x.contiguous();
    const auto w = listed(norm, gru, out);
    if (torch::GradMode::is_enabled()) {
        return RecurrentOperation::apply(along_steps, reach, in, w[0], w[1], w[2], w[3], w[4], w[5], w[6],
                                         w[7], w[8], w[9], w[10], w[11]);
    }
    auto result = torch::empty_like(in);
    recurrent_into(in, along_steps, reach, {}, norm, gru, out, result);
    return result;
}

void recurrent_into(const Tensor& x, bool along_steps, const Reach& reach, const Steps& wanted,
                    const NormWeights& norm, const std::array<GruWeights, 2>& gru,
                    const LinearWeights& out_layer, const Tensor& out) {
    const auto w = listed(norm, gru, out_layer);
    kernels().recurrent(sequences_of(x, along_steps), reach, wanted, recurrent_of<const float>(w, read),
                        read(x), write(out), nullptr);
}

Tensor perceptron(const Tensor& x, const NormWeights& norm, const LinearWeights& up,
                  const LinearWeights& out) {
    const auto in = x.contiguous();
    if (torch::GradMode::is_enabled())
        return PerceptronOperation::apply(in, norm.weight, norm.bias, up.weight, up.bias, out.weight,
                                          out.bias);
    auto result = in.clone();
    perceptron_in_place(result, norm, up, out);
    return result;
}

void perceptron_in_place(const Tensor& x, const NormWeights& norm, const LinearWeights& up,
                         const LinearWeights& out) {
    const std::array<Tensor, 6> w{norm.weight, norm.bias, up.weight, up.bias, out.weight, out.bias};
    const auto unit = perceptron_of<const float>(w, read);
    kernels().perceptron(x.numel() / unit.width, unit, read(x), write(x), nullptr);
}

Tensor embed(const Tensor& features, const PatchForm& form, const Tensor& weight, const Tensor& bias) {
    return EmbedOperation::apply(form, features.contiguous(), weight, bias);
}

void embed_into(const Tensor& features, const PatchForm& form, const Tensor& weight, const Tensor& bias,
                const Tensor& out) {
    kernels().embed(patches_of(features, form), {weight.size(2), read(weight), read(bias)}, read(features),
                    write(out));
}

void head(const Tensor& x, const Tensor& features, const PatchForm& form, const HeadWeights& w,
          const Tensor& masks) {
    const torch::NoGradGuard no_grad;
    const auto in = x.contiguous();
    const auto seen = features.contiguous();
    const std::array<Tensor, 6> list{w.norm.weight, w.norm.bias, w.weight1, w.bias1, w.weight2, w.bias2};
    kernels().head(patches_of(seen, form), masks.size(1), head_of<const float>(list, read), read(in),
                   read(seen), write(masks));
}

Tensor head_loss(const Tensor& x, const Tensor& features, const PatchForm& form, const HeadWeights& w,
                 const LossTensors& targets) {
    return HeadLossOperation::apply(form, targets, features.contiguous(), x.contiguous(), w.norm.weight,
                                    w.norm.bias, w.weight1, w.bias1, w.weight2, w.bias2);
}

Tensor orthogonalised(const Tensor& x) {
    const bool tall = x.size(1) > x.size(2);
    auto y = (tall ? x.transpose(1, 2) : x).clone(torch::MemoryFormat::Contiguous);
    const Size count = y.size(1) * y.size(2);
    for (Size i = 0; i < y.size(0); ++i) kernels().orthogonalise(y.size(1), y.size(2), write(y) + i * count);
    return tall ? y.transpose(1, 2) : y;
}

}  // namespace rivlen::units
