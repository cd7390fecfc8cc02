// SPDX-License-Identifier: GPL-3.0-or-later
// The separation engine: runs the network behind the interfaces of core/separation/separator.h and teacher.h.
#include <ATen/Context.h>
#include <ATen/Parallel.h>
#include <torch/torch.h>

#include <algorithm>
#include <cmath>
#include <exception>

#include "core/separation/bands.h"
#include "core/separation/mask_map.h"
#include "core/separation/separator.h"
#include "core/separation/teacher.h"
#include "engine/difference.h"
#include "engine/golden.h"
#include "engine/learning/teacher.h"
#include "engine/mask_stream.h"
#include "engine/network.h"
#include "engine/units/kernels.h"

namespace rivlen {

namespace {

class Worker : public MaskWorker {
  public:
    explicit Worker(SeparationNetwork network) : stream_(std::move(network)) {}

    void begin(bool at_start) override { stream_.begin(at_start); }
    Status push(std::span<const float> features, bool last, const Take& take) override {
        at::set_num_threads(1);  // OpenMP keeps this for each thread apart
        const c10::InferenceMode inference;
        Status status;
        stream_.push(features, last, [&](std::span<const float> masks) {
            if (std::ranges::all_of(masks, [](float m) { return std::isfinite(m); })) {
                status = take(masks);
            } else {
                status = make_error(
                    ErrorKind::Internal,
                    "The separation gave values that are no numbers; nothing was kept. Please report this.");
            }
        });
        return status;
    }

  private:
    MaskStream stream_;
};

class Engine : public Separator {
  public:
    Engine(LoadedNetwork loaded, ModelFacts facts)
        : network_(std::move(loaded.network)), facts_(std::move(facts)) {}
    [[nodiscard]] const ModelFacts& model() const override { return facts_; }
    // The weights are only read while separating, so that all workers share them.
    [[nodiscard]] std::unique_ptr<MaskWorker> make_worker() const override {
        return std::make_unique<Worker>(network_);
    }

  private:
    SeparationNetwork network_;
    ModelFacts facts_;
};

// Where the widest vector code computes wrongly, a narrower one is tried.
Status check_machine(LoadedNetwork& loaded) {
    if (loaded.golden.empty()) {
        return make_error(
            ErrorKind::BadInput,
            "The separation model has no golden masks to check this machine with. Install Rivlen's "
            "models again.");
    }
    at::set_num_threads(1);
    const c10::InferenceMode inference;
    for (const auto* kernels : units::available_kernels()) {
        units::use_kernels(kernels);
        if (golden_difference(loaded.network, loaded.golden) <= kGoldenTolerance) return {};
    }
    units::use_kernels(nullptr);
    return make_error(
        ErrorKind::Unsupported,
        "This machine computes wrongly: the model does not give the masks it should, so nothing is "
        "split. Install Rivlen's models again; if that does not help, please report it with the kind "
        "of processor.");
}

Result<std::shared_ptr<const Separator>> open_engine(const std::filesystem::path& model) {
    auto facts = model_identity(model);
    if (!facts) return facts.error();
    auto loaded = load_network(model);
    if (!loaded) return loaded.error();
    if (auto status = check_machine(*loaded); !status) return status.error();
    if (loaded->network->spec().memory_steps == 0) {
        return make_error(ErrorKind::Unsupported,
                          "The separation model looks back without end, so that a recording cannot be split "
                          "in parts. Install Rivlen's models again.");
    }
    facts->stride_frames = static_cast<int>(loaded->network->stride_frames());
    facts->context_frames = static_cast<int>(loaded->network->context_frames());
    facts->metadata = loaded->metadata;
    return std::shared_ptr<const Separator>(std::make_shared<Engine>(std::move(*loaded), std::move(*facts)));
}

Error other_version() {
    return make_error(ErrorKind::Mismatch,
                      "The separation engine belongs to another version of Rivlen. Install Rivlen again.");
}

Result<TeachingReport> teach_model(const TeachingWish& wish, const JobControl& job) {
    TeachingWish here = wish;
    here.model = model_file(wish.model);
    auto loaded = load_network(here.model);
    if (!loaded) return loaded.error();
    if (is_difference(loaded->metadata)) {
        return make_error(ErrorKind::BadInput,
                          "\"{}\" is taught already. Teach the model that it was taught from, with all the "
                          "lessons.",
                          here.model.string());
    }
    if (auto status = check_machine(*loaded); !status) return status.error();
    return teach_network(*loaded, here, job);
}

}  // namespace

}  // namespace rivlen

// Both sides are built together from the same headers, so that C++ types may cross this border.
extern "C" __attribute__((visibility("default"))) rivlen::Result<std::shared_ptr<const rivlen::Separator>>
rivlen_engine_open(int version, const std::filesystem::path& model) {
    if (version != rivlen::kEngineVersion) return rivlen::other_version();
    return rivlen::open_engine(model);
}

// As torch throws where it finds no memory, so does this until here.
extern "C" __attribute__((visibility("default"))) rivlen::Result<rivlen::TeachingReport> rivlen_engine_teach(
    int version, const rivlen::TeachingWish& wish, const rivlen::JobControl& job) {
    if (version != rivlen::kEngineVersion) return rivlen::other_version();
    try {
        return rivlen::teach_model(wish, job);
    } catch (const std::exception& e) {
        return rivlen::make_error(rivlen::ErrorKind::Internal,
                                  "Teaching ended early ({}); nothing was written. Close other programs if "
                                  "memory is short, and try again.",
                                  e.what());
    }
}
