// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/labels.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <set>

#include "core/effects/inserts.h"
#include "core/separation/settings.h"

namespace rivlen {
namespace {

TEST(Labels, EveryTableIsAmongThemAndEveryLabelOnce) {
    const auto labels = all_labels();
    const std::set<std::string> once(labels.begin(), labels.end());
    EXPECT_EQ(once.size(), labels.size());
    EXPECT_GT(labels.size(), 150U);
    for (std::size_t i = 0; i < kSettings; ++i)
        EXPECT_TRUE(once.contains(info(static_cast<Setting>(i)).label));
    for (std::size_t k = 0; k < kEffectTypes; ++k) {
        const EffectInfo& about = info(static_cast<EffectType>(k));
        EXPECT_TRUE(once.contains(about.label));
        for (const auto& parameter : about.parameters) {
            EXPECT_TRUE(once.contains(parameter.label)) << parameter.key;
            EXPECT_TRUE(once.contains(parameter.sentence)) << parameter.key;
        }
    }
    for (const char* label : {"Telephone band", "Voice over music", "Broadcast WAV", "Music and effects"})
        EXPECT_TRUE(once.contains(label)) << label;
}

}  // namespace
}  // namespace rivlen
