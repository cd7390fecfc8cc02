// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/network.h"

#include <cmath>
#include <cstring>

#include "core/base/safetensors.h"
#include "core/separation/bands.h"
#include "engine/difference.h"
#include "engine/golden.h"

namespace rivlen {

namespace {

using torch::Tensor;
namespace nn = torch::nn;

units::NormWeights weights_of(const nn::LayerNorm& norm) {
    return {norm->weight, norm->bias};
}
units::LinearWeights weights_of(const nn::Linear& layer) {
    return {layer->weight, layer->bias};
}

// The weights of a bidirectional recurrence, named (and, at first, drawn) as those of torch::nn::GRU.
class BidirectionalGru : public nn::Module {
  public:
    BidirectionalGru(std::int64_t width, std::int64_t hidden) {
        const double reach = 1.0 / std::sqrt(static_cast<double>(hidden));
        for (std::size_t d = 0; d < 2; ++d) {
            const std::string end = d == 0 ? "_l0" : "_l0_reverse";
            const auto draw = [&](const std::string& name, const std::vector<std::int64_t>& shape) {
                return register_parameter(name + end, torch::empty(shape).uniform_(-reach, reach));
            };
            weights_[d].weight_ih = draw("weight_ih", {3 * hidden, width});
            weights_[d].weight_hh = draw("weight_hh", {3 * hidden, hidden});
            weights_[d].bias_ih = draw("bias_ih", {3 * hidden});
            weights_[d].bias_hh = draw("bias_hh", {3 * hidden});
        }
    }
    [[nodiscard]] const std::array<units::GruWeights, 2>& weights() const { return weights_; }

  private:
    std::array<units::GruWeights, 2> weights_;
};

// All units map [steps, patches, clips, width] to the same shape and add themselves to their input.
class RecurrentUnit : public nn::Module {
  public:
    RecurrentUnit(const NetworkSpec& spec, bool along_time)
        : along_time_(along_time),
          reach_(along_time ? units::Reach{spec.memory_steps, spec.memory_overlap} : units::Reach{}) {
        norm_ = register_module("norm", nn::LayerNorm(nn::LayerNormOptions({spec.width})));
        gru_ = register_module("gru", std::make_shared<BidirectionalGru>(spec.width, spec.hidden));
        out_ = register_module("out", nn::Linear(2 * spec.hidden, spec.width));
    }
    void forward_into(const Tensor& x, const units::Steps& wanted, const Tensor& out) {
        units::recurrent_into(x, along_time_, reach_, wanted, weights_of(norm_), gru_->weights(),
                              weights_of(out_), out);
    }
    Tensor forward(const Tensor& x) {
        return units::recurrent(x, along_time_, reach_, weights_of(norm_), gru_->weights(), weights_of(out_));
    }

  private:
    bool along_time_;
    units::Reach reach_;
    nn::LayerNorm norm_{nullptr};
    std::shared_ptr<BidirectionalGru> gru_;
    nn::Linear out_{nullptr};
};

class Mlp : public nn::Module {
  public:
    explicit Mlp(const NetworkSpec& spec) {
        norm_ = register_module("norm", nn::LayerNorm(nn::LayerNormOptions({spec.width})));
        up_ = register_module("up", nn::Linear(spec.width, spec.mlp_hidden));
        out_ = register_module("out", nn::Linear(spec.mlp_hidden, spec.width));
    }
    void forward_in_place(const Tensor& x) {
        units::perceptron_in_place(x, weights_of(norm_), weights_of(up_), weights_of(out_));
    }
    Tensor forward(const Tensor& x) {
        return units::perceptron(x, weights_of(norm_), weights_of(up_), weights_of(out_));
    }

  private:
    nn::LayerNorm norm_{nullptr};
    nn::Linear up_{nullptr}, out_{nullptr};
};

Tensor init_weight(std::int64_t patches, std::int64_t in, std::int64_t out) {
    return torch::randn({patches, in, out}) / std::sqrt(static_cast<double>(in));
}

}  // namespace

SeparationNetworkImpl::SeparationNetworkImpl(const NetworkSpec& spec) : spec_(spec) {
    const std::int64_t patches = kBands / spec.patch_bands;
    const std::int64_t in = spec.patch_frames * spec.patch_bands * spec.feature_channels;
    const std::int64_t out = spec.patch_frames * spec.patch_bands * kStems;
    embed_weight_ = register_parameter("embed_weight", init_weight(patches, in, spec.width));
    embed_bias_ = register_parameter("embed_bias", torch::zeros({patches, 1, spec.width}));
    for (int block = 0; block < spec.blocks; ++block) {
        time_units_->push_back(std::make_shared<RecurrentUnit>(spec, true));
        band_units_->push_back(std::make_shared<RecurrentUnit>(spec, false));
        if (spec.mlp_hidden > 0) mlps_->push_back(std::make_shared<Mlp>(spec));
    }
    register_module("time", time_units_);
    register_module("band", band_units_);
    register_module("mlp", mlps_);
    last_norm_ = register_module("last_norm", nn::LayerNorm(nn::LayerNormOptions({spec.width})));
    head1_weight_ = register_parameter(
        "head1_weight", init_weight(patches, spec.width + (spec.head_sees_input ? in : 0), spec.head_hidden));
    head1_bias_ = register_parameter("head1_bias", torch::zeros({patches, 1, spec.head_hidden}));
    head2_weight_ = register_parameter("head2_weight", init_weight(patches, spec.head_hidden, out) * 0.5);
    head2_bias_ = register_parameter("head2_bias", torch::zeros({patches, 1, out}));
}

units::PatchForm SeparationNetworkImpl::patch_form() const {
    return {spec_.patch_frames, spec_.patch_bands, spec_.feature_channels};
}
units::HeadWeights SeparationNetworkImpl::head_weights() const {
    return {weights_of(last_norm_), head1_weight_, head1_bias_, head2_weight_, head2_bias_};
}

// Both units take every step by itself, so that they follow one another on few steps at a time, which stay in
// the cache.
void SeparationNetworkImpl::finish_block(std::size_t i, const Tensor& x, const Tensor& out) {
    constexpr std::int64_t kSteps = 32;
    for (std::int64_t first = 0; first < x.size(0); first += kSteps) {
        const std::int64_t steps = std::min(kSteps, x.size(0) - first);
        const auto piece = out.narrow(0, first, steps);
        band_units_[i]->as<RecurrentUnit>()->forward_into(x.narrow(0, first, steps), {}, piece);
        if (!mlps_->is_empty()) mlps_[i]->as<Mlp>()->forward_in_place(piece);
    }
}

void SeparationNetworkImpl::embed_into(const Tensor& features, const Tensor& x) {
    units::embed_into(features, patch_form(), embed_weight_, embed_bias_, x);
}

void SeparationNetworkImpl::along_time(std::size_t block, const Tensor& x, const units::Steps& wanted,
                                       const Tensor& out) {
    time_units_[block]->as<RecurrentUnit>()->forward_into(x, wanted, out);
}

void SeparationNetworkImpl::head_into(const Tensor& x, const Tensor& features, const Tensor& masks) {
    units::head(x, features, patch_form(), head_weights(), masks);
}

Tensor SeparationNetworkImpl::forward(const Tensor& any_features) {
    const torch::NoGradGuard no_grad;
    const auto features = any_features.contiguous();
    const std::int64_t frames = features.size(1);
    auto x = torch::empty(shape_of((frames + spec_.patch_frames - 1) / spec_.patch_frames, features.size(0)));
    auto y = torch::empty_like(x);
    embed_into(features, x);
    for (std::size_t i = 0; i < static_cast<std::size_t>(spec_.blocks); ++i) {
        along_time(i, x, {}, y);
        finish_block(i, y, x);
    }
    auto masks = torch::empty({features.size(0), frames, kStems, kBands});
    head_into(x, features, masks);
    return masks;
}

Tensor SeparationNetworkImpl::loss(const Tensor& features, const units::LossTensors& targets) {
    auto x = units::embed(features, patch_form(), embed_weight_, embed_bias_);
    for (std::size_t i = 0; i < static_cast<std::size_t>(spec_.blocks); ++i) {
        x = band_units_[i]->as<RecurrentUnit>()->forward(time_units_[i]->as<RecurrentUnit>()->forward(x));
        if (!mlps_->is_empty()) x = mlps_[i]->as<Mlp>()->forward(x);
    }
    return units::head_loss(x, features, patch_form(), head_weights(), targets);
}

Status copy_weights(const SeparationNetwork& from, SeparationNetwork& to) {
    const NetworkSpec& large = to->spec();
    NetworkSpec comparable = from->spec();
    bool fits = comparable.blocks <= large.blocks && comparable.head_hidden <= large.head_hidden &&
                (comparable.mlp_hidden == 0 || comparable.mlp_hidden == large.mlp_hidden) &&
                (!comparable.head_sees_input || large.head_sees_input) &&
                comparable.feature_channels <= large.feature_channels;
    comparable.feature_channels = large.feature_channels;
    comparable.blocks = large.blocks;
    comparable.memory_steps = large.memory_steps;  // have no weights
    comparable.memory_overlap = large.memory_overlap;
    comparable.head_hidden = large.head_hidden;
    comparable.mlp_hidden = large.mlp_hidden;
    comparable.head_sees_input = large.head_sees_input;
    fits = fits && comparable.to_json() == large.to_json();
    if (!fits) {
        return make_error(
            ErrorKind::Mismatch,
            "The weights belong to another kind of network. Start from weights of the same width "
            "and patches, with at most as many blocks.");
    }
    const torch::NoGradGuard no_grad;
    // Weights of a patch's input, [patches, frames x channels x bands, out]: what the smaller one does not
    // see begins without effect.
    const auto copy_input = [&](const Tensor& to_rows, const Tensor& from_rows) {
        const auto by_channel = [](const Tensor& rows, const NetworkSpec& spec) {
            return rows.view({rows.size(0), spec.patch_frames, spec.feature_channels, spec.patch_bands, -1});
        };
        to_rows.zero_();
        by_channel(to_rows, large)
            .narrow(2, 0, from->spec().feature_channels)
            .copy_(by_channel(from_rows, from->spec()));
    };
    const auto source = from->named_parameters();
    const std::int64_t head = from->spec().head_hidden;
    for (auto& item : to->named_parameters()) {
        auto& value = item.value();
        if (const auto* found = source.find(item.key()); found == nullptr) {
            // The last layer of an added residual unit.
            if (item.key().find(".out.") != std::string::npos) value.zero_();
        } else if (item.key() == "embed_weight") {
            copy_input(value, *found);
        } else if (item.key() == "head1_weight") {
            const std::int64_t width = large.width;
            auto first = value.narrow(2, 0, head).zero_();
            first.narrow(1, 0, width).copy_(found->narrow(1, 0, width));
            if (from->spec().head_sees_input) {
                auto seen = torch::empty({value.size(0), value.size(1) - width, head});
                copy_input(seen, found->slice(1, width).contiguous());
                first.slice(1, width).copy_(seen);
            }
        } else if (item.key() == "head1_bias") {
            value.narrow(2, 0, head).copy_(*found);
        } else if (item.key() == "head2_weight") {
            value.zero_();
            value.narrow(1, 0, head).copy_(*found);
        } else {
            value.copy_(*found);
        }
    }
    return {};
}

Result<SeparationNetwork> mean_of_weights(std::span<const SeparationNetwork> networks) {
    const NetworkSpec spec = networks.back()->spec();
    SeparationNetwork mean(spec);
    const torch::NoGradGuard no_grad;
    for (auto& value : mean->parameters()) value.zero_();
    for (const auto& network : networks) {
        SeparationNetwork grown(spec);
        if (auto status = copy_weights(network, grown); !status) return status.error();
        auto sums = mean->parameters();
        const auto add = grown->parameters();
        for (std::size_t i = 0; i < sums.size(); ++i)
            sums[i].add_(add[i], 1.0 / static_cast<double>(networks.size()));
    }
    mean->eval();
    return mean;
}

Status save_network(SeparationNetwork& network, const std::filesystem::path& path,
                    std::map<std::string, std::string> metadata) {
    metadata["network"] = network->spec().to_json();
    std::vector<Tensor> kept;
    std::vector<safetensors::Tensor> tensors;
    for (const auto& item : network->named_parameters()) {
        const auto value = item.value().detach().to(torch::kFloat32).contiguous();
        kept.push_back(value);
        tensors.push_back(
            {item.key(), "F32", value.sizes().vec(),
             std::as_bytes(std::span(value.data_ptr<float>(), static_cast<std::size_t>(value.numel())))});
    }
    const auto golden = golden_masks(network);
    tensors.push_back(
        {"golden", "U8", {static_cast<std::int64_t>(golden.size())}, std::as_bytes(std::span(golden))});
    return safetensors::write(path, metadata, tensors);
}

static std::vector<std::uint8_t> golden_of(const safetensors::File& file) {
    const auto* stored = file.find("golden");
    if (stored == nullptr || stored->dtype != "U8") return {};
    std::vector<std::uint8_t> golden(stored->bytes.size());
    std::memcpy(golden.data(), stored->bytes.data(), stored->bytes.size());
    return golden;
}

Result<LoadedNetwork> load_network(const std::filesystem::path& path) {
    auto file = safetensors::File::open(path);
    if (!file) return file.error();
    if (is_difference(file->metadata())) {
        auto loaded = load_difference(*file, path);
        if (loaded) loaded->golden = golden_of(*file);
        return loaded;
    }
    const auto description = file->metadata().find("network");
    if (description == file->metadata().end()) {
        return make_error(ErrorKind::BadInput,
                          "\"{}\" does not hold a Rivlen model. Install Rivlen's models again.",
                          path.string());
    }
    auto spec = NetworkSpec::from_json(description->second);
    if (!spec) return spec.error();
    LoadedNetwork loaded;
    loaded.network = SeparationNetwork(*spec);
    loaded.metadata = file->metadata();
    const torch::NoGradGuard no_grad;
    for (auto& item : loaded.network->named_parameters()) {
        const auto* tensor = file->find(item.key());
        if (tensor == nullptr || tensor->dtype != "F32" || tensor->shape != item.value().sizes().vec()) {
            return make_error(ErrorKind::BadInput,
                              "The model \"{}\" lacks the weights \"{}\". Install Rivlen's models again.",
                              path.string(), item.key());
        }
        std::memcpy(item.value().data_ptr<float>(), tensor->bytes.data(), tensor->bytes.size());
    }
    loaded.golden = golden_of(*file);
    loaded.network->eval();
    return loaded;
}

}  // namespace rivlen
