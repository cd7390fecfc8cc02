// SPDX-License-Identifier: GPL-3.0-or-later
// The model as the rest of the program sees it. The implementation lives in a shared library of its own
// (rivlen-engine), which is opened when something is split for the first time.
#pragma once

#include <filesystem>
#include <functional>
#include <map>
#include <memory>
#include <span>
#include <string>

#include "core/base/result.h"

namespace rivlen {

struct ModelFacts {
    std::string name;  // of the file, without extension
    std::string hash;  // of the weights
    // What the network says of a frame follows from the frames of its stretch of the grid (a multiple of
    // stride_frames and the frames up to the next) and context_frames more on either side, and from nothing
    // further away.
    int stride_frames = 4;
    int context_frames = 0;
    std::map<std::string, std::string> metadata;
};

// Name and hash of a weights file, without opening the engine: enough to find the map of an earlier split.
// Errors: NotFound.
[[nodiscard]] Result<ModelFacts> model_identity(const std::filesystem::path& model);

// What a thread splits with: a stretch of a recording goes in piece by piece, and comes out as masks.
class MaskWorker {
  public:
    virtual ~MaskWorker() = default;
    // Begins a stretch. at_start: it is the beginning of the recording; else it begins at a multiple of the
    // grid, and its first context_frames get no masks.
    virtual void begin(bool at_start) = 0;
    // features: the next frames, normalised (bands.h), [frames][kFeatures]; a multiple of the grid unless
    // they are the last of the recording. take(masks) is called once, or not at all while masks wait for what
    // they look at: [frames][stem][band] of the frames that follow those of the last time, adding up to one
    // over the stems; the span holds until it returns. Errors: Internal when the network gives something that
    // is no number, and those of take.
    using Take = std::function<Status(std::span<const float> masks)>;
    [[nodiscard]] virtual Status push(std::span<const float> features, bool last, const Take& take) = 0;
};

class Separator {
  public:
    virtual ~Separator() = default;
    [[nodiscard]] virtual const ModelFacts& model() const = 0;
    [[nodiscard]] virtual std::unique_ptr<MaskWorker> make_worker() const = 0;
};

// Opens the engine and a model: a file, or the name of one that comes with the program. Empty: those
// installed with the program, and of the models the quick one (see find_engine, find_model). Errors:
// NotFound, BadInput, Unsupported, Mismatch (engine of another version).
[[nodiscard]] Result<std::shared_ptr<const Separator>> load_separator(
    const std::filesystem::path& engine = {}, const std::filesystem::path& model = {});

// RIVLEN_ENGINE and RIVLEN_MODEL in the environment come first, then places relative to the program.
[[nodiscard]] std::filesystem::path find_engine();
// The models that come with the program: "quick", and "fine", which separates better and takes longer. Empty
// when a model is not installed; RIVLEN_MODEL takes the place of the quick one, and then there is no other.
inline constexpr const char* kQuickModel = "quick";
inline constexpr const char* kFineModel = "fine";
// What opens the music into its parts (music_parts.h). RIVLEN_PARTS_MODEL comes first.
inline constexpr const char* kPartsModel = "parts";
[[nodiscard]] std::filesystem::path find_model(const std::string& name = kQuickModel);
// Something else that is installed beside the models; the variable in the environment comes first. Empty when
// it is not there.
[[nodiscard]] std::filesystem::path find_with_models(const std::filesystem::path& file, const char* variable);

// The file of a model that is named as load_separator() takes it; empty when it is not installed.
[[nodiscard]] std::filesystem::path model_file(const std::filesystem::path& model);

// What the engine library exports, under the name kEngineEntry.
inline constexpr const char* kEngineEntry = "rivlen_engine_open";
inline constexpr int kEngineVersion = 5;
using EngineEntry = Result<std::shared_ptr<const Separator>> (*)(int version,
                                                                 const std::filesystem::path& model);

}  // namespace rivlen
