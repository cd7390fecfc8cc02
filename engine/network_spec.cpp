// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/network_spec.h"

#include <nlohmann/json.hpp>

#include "core/separation/bands.h"

namespace rivlen {

NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(NetworkSpec, feature_channels, patch_frames, patch_bands,
                                                width, blocks, hidden, memory_steps, memory_overlap,
                                                mlp_hidden, head_hidden, head_sees_input)

std::string NetworkSpec::to_json() const {
    return nlohmann::json(*this).dump();
}

Result<NetworkSpec> NetworkSpec::from_json(const std::string& text) {
    const auto json = nlohmann::json::parse(text, nullptr, false);
    NetworkSpec spec;
    try {
        spec = json.get<NetworkSpec>();
    } catch (const nlohmann::json::exception&) {
        return make_error(ErrorKind::BadInput,
                          "The model's description is damaged. Install Rivlen's models again.");
    }
    // Files from before 2026-11-25 also say which units they are made of; others than these were given up.
    const bool possible =
        json.value("time_unit", "gru") == "gru" && json.value("band_unit", "gru") == "gru" &&
        spec.feature_channels > 0 && spec.feature_channels <= kFeatureChannels && spec.patch_frames > 0 &&
        spec.patch_frames <= 16 && spec.patch_bands > 0 && kBands % spec.patch_bands == 0 && spec.width > 0 &&
        spec.width <= 1024 && spec.blocks > 0 && spec.blocks <= 32 && spec.hidden > 0 &&
        spec.hidden <= 1024 && spec.memory_steps >= 0 && spec.memory_steps <= 65536 &&
        spec.memory_overlap >= 0 && spec.memory_overlap <= 65536 && spec.mlp_hidden >= 0 &&
        spec.mlp_hidden <= 4096 && spec.head_hidden > 0 && spec.head_hidden <= 4096 &&
        // What units/kernels.h asks for.
        spec.width % 16 == 0 && spec.hidden % 16 == 0 && spec.mlp_hidden % 16 == 0 &&
        spec.head_hidden % 16 == 0 && spec.patch_frames * spec.patch_bands % 16 == 0;
    if (!possible) {
        return make_error(ErrorKind::Unsupported,
                          "The model was made for another version of Rivlen. Update Rivlen.");
    }
    return spec;
}

}  // namespace rivlen
