// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/difference.h"

#include <array>
#include <cstring>
#include <vector>

#include "core/separation/separator.h"
#include "engine/golden.h"

namespace rivlen {

namespace {

namespace fs = std::filesystem;
using torch::Tensor;

constexpr const char* kBase = "taught_from";
constexpr const char* kBaseHash = "taught_from_hash";

Result<fs::path> find_base(const safetensors::Metadata& metadata, const fs::path& beside) {
    const std::string& name = metadata.at(kBase);
    const auto hash = metadata.find(kBaseHash);
    if (hash == metadata.end() || fs::path(name).has_parent_path()) {
        return make_error(ErrorKind::BadInput,
                          "\"{}\" does not say which model it was taught from. Teach it again.",
                          beside.string());
    }
    bool other_version = false;
    for (const auto& place :
         {beside.parent_path() / (name + ".safetensors"), find_model(name), find_model()}) {
        const auto model = model_identity(place);
        if (model && model->hash == hash->second) return place;
        other_version = other_version || (model && model->name == name);
    }
    if (other_version) {
        return make_error(ErrorKind::Mismatch,
                          "\"{}\" was taught from another version of the model \"{}\". Teach it again.",
                          beside.string(), name);
    }
    return make_error(ErrorKind::NotFound,
                      "The model \"{}\", which \"{}\" was taught from, is not there. Install Rivlen's models "
                      "again, or teach it again.",
                      name, beside.string());
}

std::span<const std::byte> bytes_of(const Tensor& value) {
    return {static_cast<const std::byte*>(value.data_ptr()), static_cast<std::size_t>(value.nbytes())};
}

}  // namespace

bool is_difference(const safetensors::Metadata& metadata) {
    return metadata.contains(kBase);
}

Status save_difference(const fs::path& base, const SeparationNetwork& base_network,
                       SeparationNetwork& network, const fs::path& path,
                       std::map<std::string, std::string> metadata) {
    const auto model = model_identity(base);
    if (!model) return model.error();
    metadata["network"] = network->spec().to_json();
    metadata[kBase] = model->name;
    metadata[kBaseHash] = model->hash;
    std::vector<Tensor> kept;
    std::vector<safetensors::Tensor> tensors;
    {
        const torch::NoGradGuard no_grad;
        const auto before = base_network->named_parameters();
        for (auto& item : network->named_parameters()) {
            const Tensor& from = before[item.key()];
            const auto half = (item.value() - from).to(torch::kHalf).contiguous();
            item.value().copy_(from + half.to(torch::kFloat32));
            if (half.count_nonzero().item<std::int64_t>() == 0) continue;
            kept.push_back(half);
            tensors.push_back({item.key(), "F16", half.sizes().vec(), bytes_of(kept.back())});
        }
    }
    const auto golden = golden_masks(network);
    tensors.push_back(
        {"golden", "U8", {static_cast<std::int64_t>(golden.size())}, std::as_bytes(std::span(golden))});
    return safetensors::write(path, metadata, tensors);
}

Result<LoadedNetwork> load_difference(const safetensors::File& file, const fs::path& path) {
    const auto base = find_base(file.metadata(), path);
    if (!base) return base.error();
    auto loaded = load_network(*base);
    if (!loaded) return loaded;
    if (is_difference(loaded->metadata)) {
        return make_error(ErrorKind::BadInput,
                          "\"{}\" was taught from a model that is taught itself. Teach it again.",
                          path.string());
    }
    const torch::NoGradGuard no_grad;
    for (auto& item : loaded->network->named_parameters()) {
        const auto* tensor = file.find(item.key());
        if (tensor == nullptr) continue;  // as it was
        if (tensor->dtype != "F16" || tensor->shape != item.value().sizes().vec()) {
            return make_error(ErrorKind::BadInput,
                              "The taught model \"{}\" does not fit the model it was taught from. Teach it "
                              "again.",
                              path.string());
        }
        auto half = torch::empty(item.value().sizes(), torch::kHalf);
        std::memcpy(half.data_ptr(), tensor->bytes.data(), tensor->bytes.size());
        item.value().add_(half.to(torch::kFloat32));
    }
    loaded->metadata = file.metadata();
    return loaded;
}

}  // namespace rivlen
