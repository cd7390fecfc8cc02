// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/labels.h"

#include <set>

#include "core/diagnosis/first_look.h"
#include "core/effects/effect_presets.h"
#include "core/mix/levelling.h"
#include "core/project/delivery_table.h"
#include "core/project/silences.h"
#include "core/project/spotting.h"
#include "core/project/strip_parameters.h"
#include "core/project/timeline.h"
#include "core/separation/correction_settings.h"
#include "core/separation/corrections.h"
#include "core/separation/settings.h"

namespace rivlen {

namespace {

class Labels {
  public:
    void add(const char* label) {
        if (label != nullptr && *label != '\0' && seen_.insert(label).second) all_.emplace_back(label);
    }
    void add(const ParameterInfo& parameter) {
        for (const char* text : {parameter.label, parameter.sentence, parameter.too_much}) add(text);
    }
    [[nodiscard]] std::vector<std::string> take() { return std::move(all_); }

  private:
    std::set<std::string> seen_;
    std::vector<std::string> all_;
};

}  // namespace

std::vector<std::string> all_labels() {
    Labels labels;
    for (std::size_t i = 0; i < kSettings; ++i) labels.add(info(static_cast<Setting>(i)));
    for (std::size_t i = 0; i < kCorrectionActs; ++i) {
        labels.add(info(static_cast<CorrectionAct>(i)).label);
        labels.add(info(static_cast<CorrectionAct>(i)).sentence);
    }
    for (std::size_t i = 0; i < kCorrectionSettings; ++i) labels.add(info(static_cast<CorrectionSetting>(i)));
    for (std::size_t i = 0; i < kDuckSettings; ++i) labels.add(info(static_cast<DuckSetting>(i)));
    for (std::size_t i = 0; i < kLevelSettings; ++i) labels.add(info(static_cast<LevelSetting>(i)));
    for (std::size_t i = 0; i < kSilenceSettings; ++i) labels.add(info(static_cast<SilenceSetting>(i)));
    for (const auto* parameter :
         {&kStripGain, &kStripPan, &kClipGain, &kFadeInMs, &kFadeOutMs, &kJointFade, &kEdgeFade})
        labels.add(*parameter);
    for (std::size_t i = 0; i < kEffectTypes; ++i) {
        const auto kind = static_cast<EffectType>(i);
        labels.add(info(kind).label);
        labels.add(info(kind).sentence);
        for (const auto& parameter : info(kind).parameters) labels.add(parameter);
        for (const auto& preset : presets_of(kind)) labels.add(preset.name);
    }
    for (const char* unit : kNudgeUnitLabels) labels.add(unit);
    for (std::size_t i = 0; i < kFaults; ++i) labels.add(label_of(static_cast<Fault>(i)));
    for (std::size_t i = 0; i < kMaterials; ++i) labels.add(label_of(static_cast<Material>(i)));
    for (std::size_t i = 0; i < kContents; ++i) labels.add(label_of(static_cast<Content>(i)));
    for (const auto& table : common_tables()) {
        labels.add(table.name.c_str());
        labels.add(table.note.c_str());
    }
    for (std::size_t i = 0; i < kContainers; ++i) labels.add(label_of(static_cast<Container>(i)));
    return labels.take();
}

}  // namespace rivlen
