// SPDX-License-Identifier: GPL-3.0-or-later
// An engine without a network, for tests of everything around the network: a band goes to the stem of its
// number, so that what is split is known exactly; by the model of parts, four bands in turn go to the part of
// their number. Taught, everything goes to the stem, or part, that was taught.
#include "core/separation/separator.h"

#include <algorithm>

#include "core/base/output_file.h"
#include "core/separation/bands.h"
#include "core/separation/mask_map.h"
#include "core/separation/teacher.h"

namespace rivlen {

namespace {

class BandWorker : public MaskWorker {
  public:
    BandWorker(int taught, bool parts) : taught_(taught), parts_(parts) {}
    void begin(bool /*at_start*/) override {}
    Status push(std::span<const float> features, bool /*last*/, const Take& take) override {
        std::vector<float> masks(features.size() / kFeatures * kMaskRow, 0.0F);
        for (std::size_t frame = 0; frame < masks.size(); frame += kMaskRow) {
            for (std::size_t band = 0; band < kBands; ++band)
                masks[frame + stem_of(band) * kBands + band] = 1.0F;
        }
        return take(masks);
    }

  private:
    [[nodiscard]] std::size_t stem_of(std::size_t band) const {
        if (taught_ >= 0) return static_cast<std::size_t>(taught_);
        return parts_ ? band / kStems % kMusicParts : band % kStems;
    }
    int taught_;  // stem; -1: none
    bool parts_;
};

constexpr const char* kTaught = "taught ";
// What teach() below has written into a model's file.
int taught_stem(const std::filesystem::path& model) {
    const auto text = read_text_file(model);
    return text && text->starts_with(kTaught) ? text->at(std::string(kTaught).size()) - '0' : -1;
}

class BandSeparator : public Separator {
  public:
    BandSeparator(ModelFacts facts, int taught) : facts_(std::move(facts)), taught_(taught) {}
    [[nodiscard]] const ModelFacts& model() const override { return facts_; }
    [[nodiscard]] std::unique_ptr<MaskWorker> make_worker() const override {
        return std::make_unique<BandWorker>(taught_, facts_.name.starts_with(kPartsModel));
    }

  private:
    ModelFacts facts_;
    int taught_;
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
        std::make_shared<rivlen::BandSeparator>(std::move(*facts), rivlen::taught_stem(model)));
}

// Learns at once, and always for the better; but one step alone is never worth keeping.
extern "C" __attribute__((visibility("default"))) rivlen::Result<rivlen::TeachingReport> rivlen_engine_teach(
    int version, const rivlen::TeachingWish& wish, const rivlen::JobControl& job) {
    if (version != rivlen::kEngineVersion || wish.lessons.empty() || wish.others.empty())
        return rivlen::make_error(rivlen::ErrorKind::Mismatch, "The engine for tests is out of date.");
    if (job.cancelled()) return rivlen::JobControl::cancelled_error();
    rivlen::TeachingReport report;
    report.seconds = 60;
    report.trials.resize(2);
    report.trials[1].share = 1;
    const std::size_t stem = wish.lessons.front().mask();
    report.taken = wish.steps > 1 ? 1 : 0;
    report.trials[1].lesson_gain_db[stem] = report.trials[1].lessons_gain_db = report.taken > 0 ? 3 : -1;
    job.report(1);
    if (report.taken == 0) return report;
    const auto written = rivlen::write_text_file(wish.output, rivlen::kTaught + std::to_string(stem));
    if (!written) return written.error();
    return report;
}
