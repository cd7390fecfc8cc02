// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/teaching_set.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <set>

#include "core/base/anonymous_file.h"
#include "core/base/output_file.h"
#include "core/dsp/decibels.h"
#include "core/media/coded_file.h"
#include "core/separation/other_sound.h"
#include "learn/corpus.h"
#include "learn/packages.h"
#include "learn/rooms.h"
#include "learn/stock.h"
#include "learn/world/ambience.h"
#include "learn/world/material.h"

namespace rivlen::learn {

namespace {

using nlohmann::json;

constexpr double kLevelDb = -26.0;
constexpr double kOpusTopHz = 20000.0;
constexpr double kLeastBandwidthHz = 10000.0;  // of a reader

using Licences = std::map<std::string, std::string>;  // by package

// Licences of excerpts that may be given on with a program under the GPL.
bool may_be_given_on(const std::string& licence) {
    static const std::set<std::string> clear = {
        "GPL-2+", "GPL-2+, some CC0", "GPL-3+", "GPL", "CC0", "CC-BY-SA", "CC-BY-SA-3.0",
        "GPL-2",  "CC-BY-SA-3.0/4.0"};
    return clear.contains(licence);
}

class SetMaker {
  public:
    SetMaker(const Corpus& corpus, Licences licences, const TeachingSetOptions& options)
        : corpus_(&corpus),
          licences_(std::move(licences)),
          options_(options),
          frames_(static_cast<std::size_t>(options.clip_seconds * kCorpusRate)) {
        for (const char* kind : {"speech", "music", "effects"}) {
            for (const auto& [name, recordings] : corpus.groups(kind, Pool::Learn)) {
                std::vector<Recording> usable;
                std::ranges::copy_if(recordings, std::back_inserter(usable), [&](const Recording& r) {
                    return may_be_given_on(licences_[r.package]) && fits(r);
                });
                if (!usable.empty()) groups_[kind].push_back(std::move(usable));
            }
        }
    }

    // Appends a clip to the stems.
    json add(int n, std::array<Stereo, kStems>& stems) {
        Rng rng(seed_of(options_.seed, n, 3));
        json clip;
        std::array<Stereo, kStems> now;
        double bandwidth_hz = kOpusTopHz;
        now[0] = now[1] = now[2] = now[3] = {std::vector<float>(frames_), std::vector<float>(frames_)};
        clip["dialogue"] = voice(n, now, bandwidth_hz, rng);
        clip["music"] = music(n, now[2], rng);
        clip["ambience"] = ambience(n, now[3], rng);
        clip["bandwidth_hz"] = std::round(bandwidth_hz);
        for (std::size_t s = 0; s < kStems; ++s) {
            for (std::size_t c = 0; c < 2; ++c)
                stems[s][c].insert(stems[s][c].end(), now[s][c].begin(), now[s][c].end());
        }
        return clip;
    }

  private:
    [[nodiscard]] bool fits(const Recording& r) const {
        if (r.kind == "speech") return r.measures.bandwidth_hz >= kLeastBandwidthHz;
        if (r.kind == "music") return r.frames >= frames_;
        return r.frames >= kCorpusRate / 4;
    }
    // Groups one after another, so that as many as can be are heard.
    const std::vector<Recording>& group(const std::string& kind, int n) {
        const auto& all = groups_.at(kind);
        return all[static_cast<std::size_t>(n) % all.size()];
    }
    json origin(const Recording& r) {
        return {{"package", r.package}, {"file", r.path}, {"licence", licences_[r.package]}};
    }

    // Utterances of one reader of one package, in a room in two clips of three.
    json voice(int n, std::array<Stereo, kStems>& now, double& bandwidth_hz, Rng& rng) {
        const auto& all = group("speech", n);
        const std::string package = all[rng.below(all.size())].package;
        std::vector<float> dry(frames_);
        json files = json::array();
        for (std::size_t at = rng.below(kCorpusRate / 4); at < frames_;) {
            const auto& r = all[rng.below(all.size())];
            if (r.package != package) continue;
            const std::size_t count = std::min<std::size_t>(static_cast<std::size_t>(r.frames), frames_ - at);
            corpus_->read(r, 0, 0, std::span(dry).subspan(at, count));
            bandwidth_hz = std::min(bandwidth_hz, r.measures.bandwidth_hz);
            files.push_back(r.path);
            at += count + rng.below(kCorpusRate / 2);
        }
        const double power = active_power(dry);
        const auto gain = static_cast<float>(power > 0.0 ? std::sqrt(power_of_db(kLevelDb) / power) : 0.0);
        for (float& x : dry) x *= gain;
        if (n % 3 == 0) {
            now[0] = {dry, dry};
        } else {
            const auto room =
                random_room(rng, n % 3 == 1 ? Strength::Light : Strength::Strong, Microphones::Any);
            auto sound = put_in_room(dry, room, rng.chance(0.7) ? 0.0 : rng.uniform(-0.6, 0.6), rng);
            now[0] = std::move(sound.direct);
            now[1] = std::move(sound.reverb);
        }
        return {{"package", package}, {"files", files}, {"licence", licences_[package]}};
    }

    json music(int n, Stereo& out, Rng& rng) {
        const auto& all = group("music", n);
        const auto& r = all[rng.below(all.size())];
        const std::uint64_t start = rng.below(static_cast<std::size_t>(r.frames) - frames_ + 1);
        for (std::size_t c = 0; c < 2; ++c) corpus_->read(r, start, static_cast<int>(c) % r.channels, out[c]);
        set_active_level(out, kLevelDb);
        return origin(r);
    }

    // Every third made, else one recording again and again.
    json ambience(int n, Stereo& out, Rng& rng) {
        if (n % 3 == 2) {
            const auto beds = bed_families();
            const std::string name = beds[static_cast<std::size_t>(n) / 3 % beds.size()].name;
            out = synthesise_ambience(name, frames_, rng);
            set_active_level(out, kLevelDb);
            return {{"made", name}, {"licence", "GPL-3.0-or-later"}};
        }
        const auto& all = group("effects", n);
        const auto& r = all[rng.below(all.size())];
        std::vector<float> once(static_cast<std::size_t>(r.frames));
        const std::size_t first =
            r.frames > frames_ ? rng.below(static_cast<std::size_t>(r.frames) - frames_) : 0;
        for (std::size_t c = 0; c < 2; ++c) {
            corpus_->read(r, 0, static_cast<int>(c) % r.channels, once);
            for (std::size_t i = 0; i < frames_; ++i) out[c][i] = once[(first + i) % once.size()];
        }
        set_active_level(out, kLevelDb);
        return origin(r);
    }

    const Corpus* corpus_;
    Licences licences_;
    TeachingSetOptions options_;
    std::size_t frames_;
    std::map<std::string, std::vector<std::vector<Recording>>> groups_;
};

}  // namespace

Status write_teaching_sound(const Stereo& sound, const std::filesystem::path& file) {
    auto out = AnonymousFile::create(file.parent_path());
    if (!out) return out.error();
    const CodedSound coded{kCorpusRate, 2, static_cast<std::int64_t>(sound[0].size()),
                           [&](std::int64_t at, std::int64_t count, AudioBlock& block) -> Status {
                               block = AudioBlock(kCorpusRate, 2);
                               block.append(sound, static_cast<std::size_t>(at),
                                            static_cast<std::size_t>(count));
                               return {};
                           }};
    if (auto status = write_coded(coded, CodedKind::Opus, {}, out->fd(), file); !status) return status;
    return out->publish(file, true);
}

Status make_teaching_set(const TeachingSetOptions& options) {
    if (options.songs) return make_song_teaching_set(options);
    const auto corpus = Corpus::open(options.corpus);
    if (!corpus) return corpus.error();
    const auto packages = read_packages(options.package_list);
    if (!packages) return packages.error();
    Licences licences;
    for (const auto& package : *packages) licences[package.name] = package.licence;
    SetMaker maker(*corpus, std::move(licences), options);
    std::array<Stereo, kStems> stems;
    json clips = json::array();
    for (int n = 0; n < options.clips; ++n) clips.push_back(maker.add(n, stems));
    std::error_code error;
    std::filesystem::create_directories(options.folder, error);
    for (std::size_t s = 0; s < kStems; ++s) {
        const auto file = options.folder / (std::string(kStemNames[s]) + ".opus");
        if (auto status = write_teaching_sound(stems[s], file); !status) return status;
    }
    const json list = {{"clip_seconds", options.clip_seconds}, {"clips", clips}};
    return write_text_file(options.folder / kOtherSoundList, list.dump(1) + "\n");
}

}  // namespace rivlen::learn
