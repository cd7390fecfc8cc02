// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/other_sound.h"

#include <nlohmann/json.hpp>

#include "core/base/json_text.h"
#include "core/base/mapped_file.h"
#include "core/media/decode.h"
#include "core/separation/separator.h"

namespace rivlen {

namespace {

namespace fs = std::filesystem;

Error not_there(const fs::path& what) {
    return make_error(ErrorKind::NotFound,
                      "The sound that lessons are mixed with is not there (\"{}\"). Install Rivlen's models "
                      "again.",
                      what.string());
}

Error damaged(const fs::path& what) {
    return make_error(ErrorKind::BadInput, "\"{}\" is damaged. Install Rivlen's models again.",
                      what.string());
}

// Of every clip what is to be known of it, and how long they are.
struct ClipList {
    double clip_seconds = 0;
    std::vector<double> bandwidths_hz;
};

Result<ClipList> read_list(const fs::path& file) {
    const auto bytes = MappedFile::open(file);
    if (!bytes) return not_there(file);
    const auto text = bytes->bytes();
    const auto json = parse_json({reinterpret_cast<const char*>(text.data()), text.size()});
    if (!json.is_object() || !json.contains("clips") || !json["clips"].is_array()) return damaged(file);
    ClipList list;
    list.clip_seconds =
        json.value("clip_seconds", nlohmann::json()).is_number() ? json["clip_seconds"].get<double>() : 0.0;
    for (const auto& clip : json["clips"]) {
        const auto bandwidth =
            clip.is_object() ? clip.value("bandwidth_hz", nlohmann::json()) : nlohmann::json();
        if (!bandwidth.is_number()) return damaged(file);
        list.bandwidths_hz.push_back(bandwidth.get<double>());
    }
    constexpr double kLongest = 60.0;
    const bool usable = list.clip_seconds >= kTeachingClipSeconds && list.clip_seconds <= kLongest &&
                        list.bandwidths_hz.size() >= kFewestOthers;
    if (!usable) return damaged(file);
    return list;
}

}  // namespace

fs::path find_other_sound() {
    return find_with_models(kOtherSoundFolder, "RIVLEN_TEACHING");
}

Result<std::vector<OtherSound>> load_other_sound(const fs::path& folder, const JobControl& job,
                                                 OtherSoundOf of) {
    if (folder.empty()) return not_there(kOtherSoundFolder);
    const bool parts = of == OtherSoundOf::MusicParts;
    const auto list = read_list(folder / (parts ? kOtherSongsList : kOtherSoundList));
    if (!list) return list.error();
    const auto frames = static_cast<std::size_t>(list->clip_seconds * kModelRate);
    std::vector<OtherSound> clips(list->bandwidths_hz.size());
    for (std::size_t s = 0; s < kStems; ++s) {
        if (job.cancelled()) return JobControl::cancelled_error();
        const fs::path file = folder / (std::string(parts ? kMusicPartNames[s] : kStemNames[s]) + ".opus");
        std::error_code error;
        if (!fs::exists(file, error)) return not_there(file);
        const auto sound = read_audio(file, kModelRate);
        if (!sound) return sound.error();
        if (sound->channels() != 2 || sound->frames() < frames * clips.size()) return damaged(file);
        for (std::size_t i = 0; i < clips.size(); ++i) {
            clips[i].bandwidth_hz = list->bandwidths_hz[i];
            clips[i].stems[s] = AudioBlock(kModelRate, 2);
            clips[i].stems[s].append(*sound, i * frames, frames);
        }
    }
    return clips;
}

}  // namespace rivlen
