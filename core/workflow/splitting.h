// SPDX-License-Identifier: GPL-3.0-or-later
// From a recording to its mask map: the map of an earlier split, or a new one.
#pragma once

#include <filesystem>
#include <functional>
#include <optional>
#include <string>

#include "core/base/folders.h"
#include "core/separation/separator.h"
#include "core/separation/split.h"

namespace rivlen {

struct SplitWish {
    std::filesystem::path work_folder = default_work_folder();
    std::filesystem::path model, engine;  // see load_separator()
    std::filesystem::path parts_model;    // for the parts of the music; empty: the one that is installed
    bool again = false;                   // even if there is a map
    int workers = 2;
    ChannelGrouping channels = ChannelGrouping::Bed;
    std::int64_t wanted_frame = 0;  // of the recording; what follows it is split first
    // What is there so far, as soon as it holds the wanted frame and then every few seconds; from any of the
    // workers, one call at a time.
    std::function<void(MaskMap)> on_part;
};

struct SplitOutcome {
    MaskMap map;
    ModelFacts model;
    std::optional<SplitReport> report;  // none when the map was there
};

// Errors: those of load_separator() and split(). Any thread.
[[nodiscard]] Result<SplitOutcome> split_recording(const Source& source, const SplitWish& wish,
                                                   const JobControl& job = {});

// The masks that the better model has for a recording, to see where those that are shown may be wrong: of an
// earlier split, or made now with one worker and kept beside the others in "second" (which best_map() leaves
// alone). Of masks of the better model itself nothing is said by the lesser one (docs/correcting.md): they
// are given back. Errors: those of split_recording().
[[nodiscard]] Result<MaskMap> second_opinion(const Source& source, const MaskMap& shown,
                                             ChannelGrouping channels,
                                             const std::filesystem::path& work_folder,
                                             const JobControl& job = {});
inline constexpr const char* kSecondFolder = "second";

// The best map that an earlier split has left: of the taught weights, when there are such, else of a model of
// the program; empty when there is none.
[[nodiscard]] std::optional<MaskMap> best_map(const Source& source, ChannelGrouping channels,
                                              const std::filesystem::path& work_folder,
                                              const std::filesystem::path& taught = {});
// The map with its music opened into parts (music_parts.h): those of an earlier time, or found now by the
// model of parts. map: without corrections; wish: its model, channels and on_part count for nothing. Errors:
// NotFound where the model is not installed; those of load_separator() and split().
[[nodiscard]] Result<MaskMap> open_music(const Source& source, const MaskMap& map, const SplitWish& wish,
                                         const JobControl& job = {});
// The same by parts of an earlier time; empty when there are none.
[[nodiscard]] std::optional<MaskMap> opened_before(const Source& source, const MaskMap& map,
                                                   const std::filesystem::path& work_folder,
                                                   const std::filesystem::path& parts_model = {});
// Whether a map was made with exactly these weights.
[[nodiscard]] bool made_with(const MaskMap& map, const std::filesystem::path& model);
// The model that a map was made with, so that splitting again takes the same.
[[nodiscard]] std::string model_of(const MaskMap& map);

}  // namespace rivlen
