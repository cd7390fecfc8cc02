// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/mix_on_disk.h"

#include "core/media/sound_file.h"
#include "learn/corpus.h"

namespace rivlen::learn {

namespace fs = std::filesystem;

Result<std::unique_ptr<MixOnDisk>> MixOnDisk::make(const fs::path& folder,
                                                   std::span<const std::vector<float>> channels,
                                                   const torch::Tensor& masks) {
    std::unique_ptr<MixOnDisk> mix(new MixOnDisk(folder));
    fs::create_directories(folder);
    auto writer = SoundFileWriter::create(folder / "mix.wav", SoundFormat::WavFloat, kCorpusRate,
                                          static_cast<int>(channels.size()));
    if (!writer) return writer.error();
    if (auto status = writer->write(channels); !status) return status.error();
    if (auto status = writer->commit(); !status) return status.error();
    auto source = Source::bring_in(folder / "mix.wav", folder / "work");
    if (!source) return source.error();
    mix->source_ = std::make_unique<const Source>(std::move(*source));

    const auto rows = masks.permute({1, 0, 2}).contiguous();
    const MaskMapFacts facts{mix->source_->hash(), "study", static_cast<std::uint64_t>(rows.size(0))};
    auto map = MaskMapWriter::create(folder / "map", facts);
    if (!map) return map.error();
    const std::span<const float> values(rows.data_ptr<float>(), static_cast<std::size_t>(rows.numel()));
    if (auto status = map->write(0, values); !status) return status.error();
    if (auto status = map->commit(); !status) return status.error();
    auto opened = MaskMap::open(folder / "map", mix->source_->hash());
    if (!opened) return opened.error();
    mix->map_ = std::make_unique<const MaskMap>(std::move(*opened));
    return mix;
}

MixOnDisk::~MixOnDisk() {
    std::error_code ignored;
    fs::remove_all(folder_, ignored);
}

}  // namespace rivlen::learn
