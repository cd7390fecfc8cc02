// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/stock.h"

namespace rivlen::learn {

std::uint64_t seed_of(std::uint64_t run_seed, std::int64_t n, std::int64_t kind) {
    Rng rng(run_seed * 0x100000001B3ULL + static_cast<std::uint64_t>(n) * 4096 +
            static_cast<std::uint64_t>(kind));
    return rng.bits();
}

Stock::Stock(const Mixer& mixer, const StockOptions& options)
    : rolling_(options, [&mixer, seconds = options.clip_seconds](std::uint64_t seed) {
          Rng rng(seed);
          Item item;
          item.parts = mixer.make_parts(Mixer::random_parts(rng),
                                        static_cast<std::size_t>(seconds * kCorpusRate), rng);
          item.spectra = spectra_of(item.parts);
          return item;
      }) {}

Example Stock::draw(Rng& rng) const {
    Scene scene = Mixer::random_scene(rng);
    const auto any = [&]() -> const Item& { return rolling_.any(rng); };
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
