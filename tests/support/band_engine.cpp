// SPDX-License-Identifier: GPL-3.0-or-later
// An engine without a network, for tests of everything around the network: a band goes to the stem of its
// number, so that what is split is known exactly.
#include "core/separation/separator.h"

#include "core/separation/bands.h"
#include "core/separation/mask_map.h"

namespace rivlen {

namespace {

class BandWorker : public MaskWorker {
  public:
    void begin(bool /*at_start*/) override {}
    Status push(std::span<const float> features, bool /*last*/, const Take& take) override {
        std::vector<float> masks(features.size() / kFeatures * kMaskRow, 0.0F);
        for (std::size_t frame = 0; frame < masks.size(); frame += kMaskRow) {
            for (std::size_t band = 0; band < kBands; ++band)
                masks[frame + band % kStems * kBands + band] = 1.0F;
        }
        return take(masks);
    }
};

class BandSeparator : public Separator {
  public:
    explicit BandSeparator(ModelFacts facts) : facts_(std::move(facts)) {}
    [[nodiscard]] const ModelFacts& model() const override { return facts_; }
    [[nodiscard]] std::unique_ptr<MaskWorker> make_worker() const override {
        return std::make_unique<BandWorker>();
    }

  private:
    ModelFacts facts_;
};

}  // namespace

}  // namespace rivlen

extern "C" __attribute__((visibility("default"))) rivlen::Result<std::shared_ptr<const rivlen::Separator>>
rivlen_engine_open(int version, const std::filesystem::path& model) {
    if (version != rivlen::kEngineVersion)
        return rivlen::make_error(rivlen::ErrorKind::Mismatch, "The engine for tests is out of date.");
    auto facts = rivlen::model_identity(model);
    if (!facts) return facts.error();
    return std::shared_ptr<const rivlen::Separator>(
        std::make_shared<rivlen::BandSeparator>(std::move(*facts)));
}
