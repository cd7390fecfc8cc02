// SPDX-License-Identifier: GPL-3.0-or-later
// The corpus: packages of recorded sound, unpacked, decoded to 48 kHz 16-bit PCM and measured.
//
// DIR/debs/     the packages as downloaded
// DIR/pcm/      one file a package, all its recordings one after another (interleaved when stereo)
// DIR/index/    one JSON file a package: what lies where, with group, licence and measures
// DIR/soundfonts/POOL/  instruments, as files of the packages
// DIR/scores/POOL/  standard MIDI files, as files of the packages
// Building is deterministic: the same packages give the same bytes; a package whose index exists is left
// alone.
#pragma once

#include <array>
#include <cstdint>
#include <filesystem>
#include <functional>
#include <map>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/mapped_file.h"
#include "core/base/result.h"

namespace rivlen::learn {

inline constexpr int kCorpusRate = 48000;

// Facts about one recording, measured at its own rate before conversion.
struct Measures {
    double bandwidth_hz = 0;    // where the long-term spectrum falls 60 dB below its peak for good
    double level_db = 0;        // RMS, dBFS
    double level_range_db = 0;  // 95th less 5th percentile of 50 ms levels
    double noise_floor_db = 0;  // 5th percentile of 50 ms levels, dBFS
    double dc = 0;              // mean
    double clipped_share = 0;   // of samples at full scale
};
[[nodiscard]] Measures measure(std::span<const float> mono, int sample_rate);

// What a reader (of speech) or a package (of music and effects) is for. The pools share nothing: a figure
// that weights were chosen by says nothing of what they do to recordings that nobody looked at.
enum class Pool {
    Learn,   // mixes to learn from
    Choose,  // validation while learning, by which weights are chosen
    Tell     // the figures in docs/model.md, and nothing else
};
inline constexpr std::array<Pool, 3> kPools = {Pool::Learn, Pool::Choose, Pool::Tell};
[[nodiscard]] std::string_view name_of(Pool pool);  // learn, choose, tell

struct Recording {
    std::string package, path, group, kind;  // kind: speech, music, effects, behind (synthesised talkers)
    Pool pool = Pool::Learn;
    std::uint64_t hash = 0;            // XXH3 of the stored PCM
    std::uint64_t offset_samples = 0;  // into the package's PCM file
    std::uint64_t frames = 0;
    int channels = 1;
    Measures measures;
};

struct BuildOptions {
    std::filesystem::path folder;
    std::filesystem::path package_list;  // packages.json
    std::vector<std::string> only;       // package names; empty: all
    int threads = 2;
    double longest_music_seconds = 90;  // an excerpt from the middle of longer pieces
    double longest_effect_seconds = 60;
    std::function<void(const std::string&)> log;
};
// Errors: BadInput (package list), Io, DiskFull, NotFound (download failed).
[[nodiscard]] Status build_corpus(const BuildOptions& options);

// A built corpus, mapped. Immutable, so it may be read from several threads.
class Corpus {
  public:
    // Errors: NotFound when nothing has been built in `folder`.
    [[nodiscard]] static Result<Corpus> open(const std::filesystem::path& folder);

    // Recordings of a kind by group, without exact duplicates and without noisy readers (level range under 20
    // dB).
    using Groups = std::map<std::string, std::vector<Recording>>;
    [[nodiscard]] const Groups& groups(const std::string& kind, Pool pool) const;
    // Forgets the recordings that are not wanted.
    void keep(const std::function<bool(const Recording&)>& wanted);
    // Samples [start, start + count) frames of a recording's channel, -1..1.
    void read(const Recording& recording, std::uint64_t start_frame, int channel, std::span<float> out) const;
    // Soundfonts of a pool, in order of their names.
    [[nodiscard]] std::vector<std::filesystem::path> soundfonts(Pool pool) const;
    [[nodiscard]] std::vector<std::filesystem::path> scores(Pool pool) const;
    [[nodiscard]] std::string summary() const;

  private:
    std::filesystem::path folder_;
    std::map<std::string, MappedFile> pcm_;
    std::map<std::pair<std::string, Pool>, Groups> groups_;
};

}  // namespace rivlen::learn
