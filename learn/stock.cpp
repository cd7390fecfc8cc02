// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/stock.h"

#include <algorithm>

namespace rivlen::learn {

std::uint64_t seed_of(std::uint64_t run_seed, std::int64_t n, std::int64_t kind) {
    Rng rng(run_seed * 0x100000001B3ULL + static_cast<std::uint64_t>(n) * 4096 +
            static_cast<std::uint64_t>(kind));
    return rng.bits();
}

std::int64_t Stock::made_before(std::int64_t step, int clips) const {
    // A full stock stands before the first step.
    return options_.parts + step * clips / options_.uses;
}

Stock::Item Stock::make(std::int64_t index) const {
    Rng rng(seed_of(options_.seed, index, 1));
    Item item;
    item.parts = mixer_->make_parts(Mixer::random_parts(rng),
                                    static_cast<std::size_t>(options_.clip_seconds * kCorpusRate), rng);
    item.spectra = spectra_of(item.parts);
    return item;
}

void Stock::follow(std::int64_t step, int clips) {
    const std::int64_t wanted = made_before(step + 1, clips);
    next_ = std::max(next_, wanted - options_.parts);
    for (; next_ < wanted; ++next_) items_.push_back(make(next_));
    while (items_.size() > static_cast<std::size_t>(options_.parts)) items_.pop_front();
}

Example Stock::draw(Rng& rng) const {
    Scene scene = Mixer::random_scene(rng);
    const auto any = [&]() -> const Item& { return items_[rng.below(items_.size())]; };
    const Item& voice = any();
    const Item& music = any();
    const Item* around = &any();
    for (int tries = 0; tries < 16 && !Mixer::goes_with(around->parts, scene); ++tries) around = &any();
    const Item& ambience = *around;
    if (scene.linear()) return example_of(scene, voice.spectra, music.spectra, ambience.spectra, rng);
    const Mix mix = Mixer::combine(scene, voice.parts, music.parts, ambience.parts, rng);
    return {features_of(mix.mix), loss_sums(mix)};
}

}  // namespace rivlen::learn
