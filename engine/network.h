// SPDX-License-Identifier: GPL-3.0-or-later
// The separation network, defined once for trainer and engine.
// Input: features [clips, frames, 3, 256] (core/separation/bands.h). Output: masks [clips, frames, 4, 256],
// which add up to one over the stems in every band.
//
// Form: patches of patch_frames x patch_bands go through a linear layer of their own per band position to
// `width` features; blocks of a recurrence along time and one along the patches of a frame (and a
// perceptron), each residual behind a layer norm; a two-layer head of its own per band position gives the
// logits of the patch.
#pragma once

#include <torch/torch.h>

#include <array>
#include <filesystem>
#include <map>
#include <span>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/separation/bands.h"
#include "engine/network_spec.h"
#include "engine/units/operations.h"

namespace rivlen {

class SeparationNetworkImpl : public torch::nn::Module {
  public:
    explicit SeparationNetworkImpl(const NetworkSpec& spec);
    // Masks [clips, frames, stems, 256]. frames may be any number; it is padded to whole patches inside.
    // Without gradients.
    torch::Tensor forward(const torch::Tensor& features);
    // What learning makes small (units::head_loss), with gradients.
    torch::Tensor loss(const torch::Tensor& features, const units::LossTensors& targets);
    [[nodiscard]] const NetworkSpec& spec() const { return spec_; }
    // The parts of a forward pass, without gradients, for who takes a long recording piece by piece
    // (engine/mask_stream.h). x: [steps, patches, clips, width].
    [[nodiscard]] std::vector<std::int64_t> shape_of(std::int64_t steps, std::int64_t clips) const {
        return {steps, kBands / spec_.patch_bands, clips, spec_.width};
    }
    void embed_into(const torch::Tensor& features, const torch::Tensor& x);
    void along_time(std::size_t block, const torch::Tensor& x, const units::Steps& wanted,
                    const torch::Tensor& out);
    // All of a block behind its recurrence along time, from x into `out`, which does not overlap it.
    void finish_block(std::size_t block, const torch::Tensor& x, const torch::Tensor& out);
    // masks [clips, frames, stems, bands]: of the first frames of x and of the features, which begin with
    // the same step.
    void head_into(const torch::Tensor& x, const torch::Tensor& features, const torch::Tensor& masks);

    // How far the network looks (ModelFacts in core/separation/separator.h has the rule). Only for networks
    // whose recurrences have an end (spec().memory_steps > 0).
    [[nodiscard]] std::int64_t stride_frames() const {
        return std::int64_t{spec_.memory_steps} * spec_.patch_frames;
    }
    [[nodiscard]] std::int64_t context_frames() const { return spec_.blocks * stride_frames(); }

  private:
    [[nodiscard]] units::PatchForm patch_form() const;
    [[nodiscard]] units::HeadWeights head_weights() const;

    NetworkSpec spec_;
    torch::Tensor embed_weight_, embed_bias_;  // [patches, in, width], [patches, 1, width]
    torch::nn::ModuleList time_units_, band_units_, mlps_;
    torch::nn::LayerNorm last_norm_{nullptr};
    torch::Tensor head1_weight_, head1_bias_, head2_weight_, head2_bias_;
};
TORCH_MODULE(SeparationNetwork);

// Copies weights into a network that may have more blocks, perceptrons or a wider head, but is otherwise the
// same. What is added begins by adding nothing, so that the larger network starts with the masks of the
// smaller. Errors: Mismatch.
[[nodiscard]] Status copy_weights(const SeparationNetwork& from, SeparationNetwork& to);

// The mean of the weights of networks that learned on from one another: they stay near enough for it to be as
// good as they are, or better (Wortsman et al., "Model soups", 2022). The last one says what kind of network
// it becomes; the others grow into it. networks: at least one. Errors: Mismatch.
[[nodiscard]] Result<SeparationNetwork> mean_of_weights(std::span<const SeparationNetwork> networks);

// Named parameters as float32, and the golden masks as "golden"; `metadata` goes into the header beside the
// spec. Errors: DiskFull, Io.
[[nodiscard]] Status save_network(SeparationNetwork& network, const std::filesystem::path& path,
                                  std::map<std::string, std::string> metadata);

struct LoadedNetwork {
    SeparationNetwork network{nullptr};
    std::map<std::string, std::string> metadata;
    std::vector<std::uint8_t> golden;  // see golden.h; empty in files that have none
};
// Of a whole model, or of a taught one (difference.h). Errors: NotFound, BadInput, Unsupported, Mismatch.
[[nodiscard]] Result<LoadedNetwork> load_network(const std::filesystem::path& path);

}  // namespace rivlen
