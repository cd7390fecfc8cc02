// SPDX-License-Identifier: GPL-3.0-or-later
// A mix and its masks as the program has them: a recording that was brought in, and its mask map.
#pragma once

#include <filesystem>
#include <memory>
#include <vector>

#include "core/media/source.h"
#include "core/separation/mask_map.h"
#include "engine/network.h"

namespace rivlen::learn {

class MixOnDisk {
  public:
    // Makes `folder`, which goes with it. channels: of the mix, at kCorpusRate; masks: [stems, frames,
    // bands]. Errors: those of writing and reading files.
    [[nodiscard]] static Result<std::unique_ptr<MixOnDisk>> make(const std::filesystem::path& folder,
                                                                 std::span<const std::vector<float>> channels,
                                                                 const torch::Tensor& masks);
    ~MixOnDisk();
    MixOnDisk(const MixOnDisk&) = delete;
    MixOnDisk& operator=(const MixOnDisk&) = delete;

    [[nodiscard]] const Source& source() const { return *source_; }
    [[nodiscard]] const MaskMap& map() const { return *map_; }
    [[nodiscard]] std::int64_t length() const { return static_cast<std::int64_t>(source_->frames()); }

  private:
    explicit MixOnDisk(std::filesystem::path folder) : folder_(std::move(folder)) {}
    std::filesystem::path folder_;
    std::unique_ptr<const Source> source_;
    std::unique_ptr<const MaskMap> map_;
};

}  // namespace rivlen::learn
