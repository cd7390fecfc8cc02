// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/setting_options.h"

#include <fmt/format.h>

#include "core/project/settings_json.h"

namespace rivlen::cli {

void SettingOptions::add_to(CLI::App& command) {
    command.add_option("--preset", preset_, "Begin with the settings of this preset file");
    command.add_flag_function(
        "--both-channels",
        [this](std::int64_t) {
            changes_.emplace_back([](ShapeSettings& settings) { settings.use_both_channels(true); });
        },
        "Tell stems apart by direction, too, where channels are split in pairs");
    for (std::size_t s = 0; s < kSounds; ++s) {
        const std::string name = kSoundNames[s];
        for (std::size_t i = 0; i < kSettings; ++i) {
            const auto setting = static_cast<Setting>(i);
            const auto& p = info(setting);
            if (p.for_dialogue_only && s != static_cast<std::size_t>(Stem::Dialogue)) continue;
            command
                .add_option_function<double>(
                    fmt::format("--{}-{}", name, p.key),
                    [this, s, setting, &p](double value) {
                        changes_.emplace_back([=](ShapeSettings& settings) {
                            settings.stems[s].set(setting, value);
                            if (p.switchable) settings.stems[s].set_on(setting, true);
                        });
                    },
                    fmt::format("{} ({}). {}", p.sentence, p.unit, p.too_much))
                ->check(CLI::Range(p.lowest, p.highest))
                ->group(name);
        }
        command
            .add_flag_function(
                "--" + name + "-mute",
                [this, s](std::int64_t) {
                    changes_.emplace_back([s](ShapeSettings& settings) { settings.stems[s].mute = true; });
                },
                is_music_part(s) ? "Leave this part out of the music" : "Leave this stem out of what is kept")
            ->group(name);
    }
}

Result<ShapeSettings> SettingOptions::settings() const {
    ShapeSettings settings;
    if (!preset_.empty()) {
        auto card = load_preset(preset_);
        if (!card) return card.error();
        settings = card->settings;
    }
    for (const auto& change : changes_) change(settings);
    return settings;
}

Result<std::vector<Correction>> SettingOptions::corrections() const {
    if (preset_.empty()) return std::vector<Correction>();
    auto card = load_preset(preset_);
    if (!card) return card.error();
    return std::move(card->corrections);
}

}  // namespace rivlen::cli
