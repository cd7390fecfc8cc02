// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/songs/soundfont.h"

#include <fluidsynth.h>

#include <algorithm>
#include <cmath>

#include "learn/corpus.h"

namespace rivlen::learn {

namespace {

constexpr int kMelodic = 0, kDrumChannel = 9;
constexpr int kPanController = 10, kVolumeController = 7;

struct SettingsCloser {
    void operator()(fluid_settings_t* settings) const { delete_fluid_settings(settings); }
};
struct SynthCloser {
    void operator()(fluid_synth_t* synth) const { delete_fluid_synth(synth); }
};

// What happens at a frame: a note begins, or ends (velocity 0).
struct Event {
    std::size_t frame;
    int key, velocity;
};

std::vector<Event> events_of(const PlayedLine& line, std::size_t frames) {
    std::vector<Event> events;
    for (const auto& note : line.notes) {
        const auto begin = static_cast<std::size_t>(std::max(0.0, note.start_s) * kCorpusRate);
        const auto end = begin + static_cast<std::size_t>(std::max(0.02, note.seconds) * kCorpusRate);
        if (begin >= frames) continue;
        events.push_back({begin, note.key, note.velocity});
        events.push_back({end, note.key, 0});
    }
    // Where a note ends as the same one begins again, it ends first.
    std::ranges::sort(events, [](const Event& a, const Event& b) {
        return a.frame != b.frame ? a.frame < b.frame : a.velocity < b.velocity;
    });
    return events;
}

using Settings = std::unique_ptr<fluid_settings_t, SettingsCloser>;
using Synth = std::unique_ptr<fluid_synth_t, SynthCloser>;

}  // namespace

struct Soundfont::State {
    Settings settings;
    Synth owner;  // of what has been loaded; goes before its settings
    fluid_sfont_t* font = nullptr;
};

Soundfont::Soundfont(std::unique_ptr<State> state) : state_(std::move(state)) {}
Soundfont::Soundfont(Soundfont&&) noexcept = default;
Soundfont& Soundfont::operator=(Soundfont&&) noexcept = default;
Soundfont::~Soundfont() = default;

Result<Soundfont> Soundfont::open(const std::filesystem::path& file) {
    if (!std::filesystem::exists(file))
        return make_error(ErrorKind::NotFound, "There is no soundfont \"{}\".", file.string());
    fluid_set_log_function(FLUID_WARN, nullptr,
                           nullptr);                      // presets that a font has not are taken from others
    fluid_set_log_function(FLUID_ERR, nullptr, nullptr);  // said below
    auto state = std::make_unique<State>();
    state->settings.reset(new_fluid_settings());
    auto* settings = state->settings.get();
    fluid_settings_setnum(settings, "synth.sample-rate", kCorpusRate);
    fluid_settings_setint(settings, "synth.reverb.active", 0);
    fluid_settings_setint(settings, "synth.chorus.active", 0);
    fluid_settings_setint(settings, "synth.threadsafe-api", 0);
    fluid_settings_setnum(settings, "synth.gain", 0.5);
    state->owner.reset(new_fluid_synth(settings));
    if (state->owner && fluid_synth_sfload(state->owner.get(), file.c_str(), 1) != FLUID_FAILED)
        state->font = fluid_synth_get_sfont(state->owner.get(), 0);
    if (state->font == nullptr)
        return make_error(ErrorKind::BadInput, "\"{}\" cannot be read as a soundfont.", file.string());
    return Soundfont(std::move(state));
}

Stereo Soundfont::play(const PlayedLine& line, std::size_t frames) {
    // One of its own for every line, which knows nothing of what was played before.
    const Synth player(new_fluid_synth(state_->settings.get()));
    auto* synth = player.get();
    fluid_synth_add_sfont(synth, state_->font);
    const int channel = line.part == MusicPart::Drums ? kDrumChannel : kMelodic;
    fluid_synth_program_change(synth, channel, line.program);
    fluid_synth_cc(synth, channel, kVolumeController, 127);
    fluid_synth_cc(synth, channel, kPanController,
                   static_cast<int>(std::lround(63.5 * (1.0 + std::clamp(line.pan, -1.0, 1.0)))));
    Stereo out = {std::vector<float>(frames), std::vector<float>(frames)};
    std::size_t at = 0;
    const auto render_to = [&](std::size_t frame) {
        const std::size_t to = std::min(frame, frames);
        if (to <= at) return;
        fluid_synth_write_float(synth, static_cast<int>(to - at), out[0].data(), static_cast<int>(at), 1,
                                out[1].data(), static_cast<int>(at), 1);
        at = to;
    };
    for (const auto& event : events_of(line, frames)) {
        render_to(event.frame);
        if (event.velocity > 0)
            fluid_synth_noteon(synth, channel, event.key, event.velocity);
        else
            fluid_synth_noteoff(synth, channel, event.key);
    }
    render_to(frames);
    fluid_synth_remove_sfont(synth, state_->font);  // it stays its owner's
    const auto gain = static_cast<float>(std::pow(10.0, line.level_db / 20.0));
    for (auto& side : out)
        for (float& x : side) x *= gain;
    return out;
}

}  // namespace rivlen::learn
