// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/corpus.h"

#include <xxhash.h>

#include <algorithm>
#include <atomic>
#include <cmath>
#include <cstring>
#include <fstream>
#include <memory>
#include <mutex>
#include <set>
#include <thread>

#include "core/base/output_file.h"
#include "core/dsp/resample.h"
#include "core/dsp/stft.h"
#include "core/media/decode.h"
#include "learn/archives.h"
#include "learn/corpus_json.h"
#include "learn/packages.h"
#include "learn/songs/accompaniment.h"

namespace rivlen::learn {

namespace {

constexpr const char *kSoundfonts = "soundfonts", *kScores = "scores";

namespace fs = std::filesystem;
using nlohmann::json;

constexpr double kShortestSeconds = 0.4;
constexpr double kLeastSpeechRangeDb = 20.0;

Result<fs::path> find_or_download(const fs::path& debs, const std::string& name) {
    const auto find = [&]() -> fs::path {
        for (const auto& entry : fs::directory_iterator(debs)) {
            const std::string file = entry.path().filename().string();
            if (file.starts_with(name + "_") && file.ends_with(".deb")) return entry.path();
        }
        return {};
    };
    fs::path deb = find();
    if (deb.empty()) {
        const std::string command =
            fmt::format("cd '{}' && apt-get download -q '{}' >/dev/null 2>&1", debs.string(), name);
        if (std::system(command.c_str()) == 0) deb = find();  // NOLINT(concurrency-mt-unsafe)
    }
    if (deb.empty()) {
        return make_error(ErrorKind::NotFound,
                          "Cannot download the package {}. Run 'apt-get update' and try again.", name);
    }
    return deb;
}

// Decodes one file to stored form; empty when it is too short or unreadable.
struct Decoded {
    std::vector<std::int16_t> pcm;
    Recording facts;
};
Decoded decode(const fs::path& file, const std::string& kind, const BuildOptions& options) {
    Decoded result;
    auto audio = read_audio(file);
    if (!audio || audio->frames() == 0) return result;
    const int rate = audio->sample_rate();
    const double seconds = static_cast<double>(audio->frames()) / rate;
    auto channels = audio->take();
    if (seconds < kShortestSeconds) return result;
    const double longest = kind == "music" ? options.longest_music_seconds : options.longest_effect_seconds;
    if (kind != "speech" && seconds > longest) {
        const auto keep = static_cast<std::ptrdiff_t>(longest * rate);
        const auto from = (std::ssize(channels[0]) - keep) / 3;
        for (auto& channel : channels) channel = {channel.begin() + from, channel.begin() + from + keep};
    }
    std::vector<float> mono(channels[0].size());
    const auto share = 1.0F / static_cast<float>(channels.size());
    for (const auto& channel : channels) {
        for (std::size_t i = 0; i < mono.size(); ++i) mono[i] += channel[i] * share;
    }
    result.facts.measures = measure(mono, rate);
    if (kind == "speech" || channels.size() == 1) {
        channels = {mono};
    } else {
        channels.resize(2);
    }
    for (auto& channel : channels) channel = resample(channel, rate, kCorpusRate);
    result.facts.channels = static_cast<int>(channels.size());
    result.facts.frames = channels[0].size();
    result.pcm.resize(channels[0].size() * channels.size());
    for (std::size_t i = 0; i < result.pcm.size(); ++i) {
        const float value = channels[i % channels.size()][i / channels.size()];
        result.pcm[i] = static_cast<std::int16_t>(std::lround(std::clamp(value, -1.0F, 1.0F) * 32767.0F));
    }
    result.facts.hash = XXH3_64bits(result.pcm.data(), result.pcm.size() * sizeof(std::int16_t));
    return result;
}

// What a package is put together in: its sounds one after another, and what is known of them.
class PackageWriter {
  public:
    static Result<PackageWriter> create(const Package& package, const BuildOptions& options) {
        auto out = OutputFile::create(options.folder / "pcm" / (package.name + ".s16"));
        if (!out) return out.error();
        return PackageWriter(package, options, std::move(*out));
    }
    // A soundfont or a score stays a file.
    void add_file(const char* where, const fs::path& file, const std::string& name, Pool pool) {
        if (!status_) return;
        const fs::path folder = options_->folder / where / name_of(pool);
        fs::create_directories(folder);
        std::error_code error;
        fs::copy_file(file, folder / name, fs::copy_options::overwrite_existing, error);
        if (error)
            status_ = make_error(ErrorKind::Io, "Cannot write \"{}\": {}.", (folder / name).string(),
                                 error.message());
        ++files_;
    }
    // A sound that is too short, or there already, is left out.
    void add(const std::string& path, const fs::path& file, const std::string& kind, const std::string& group,
             Pool pool) {
        if (!status_) return;
        Decoded decoded = decode(file, kind, *options_);
        if (decoded.pcm.empty() || !seen_.insert(decoded.facts.hash).second) return;
        Recording& facts = decoded.facts;
        facts.package = package_->name;
        facts.path = path;
        facts.kind = kind;
        facts.group = package_->name + ":" + group;
        facts.pool = pool;
        facts.offset_samples = offset_;
        offset_ += decoded.pcm.size();
        status_ = out_.write(std::as_bytes(std::span(decoded.pcm)));
        recordings_.push_back(std::move(facts));
    }
    Status finish() {
        if (!status_) return status_;
        if (recordings_.empty() && files_ == 0)
            return make_error(ErrorKind::BadInput, "No recording found in {}.", package_->name);
        if (auto status = out_.commit(); !status) return status;
        const fs::path index = options_->folder / "index" / (package_->name + ".json");
        if (auto status = write_text_file(index, json(recordings_).dump(1)); !status) return status;
        options_->log(files_ > 0 ? fmt::format("{}: {} files", package_->name, files_)
                                 : fmt::format("{}: {} recordings", package_->name, recordings_.size()));
        return {};
    }

  private:
    PackageWriter(const Package& package, const BuildOptions& options, OutputFile out)
        : package_(&package), options_(&options), out_(std::move(out)) {}
    const Package* package_;
    const BuildOptions* options_;
    OutputFile out_;
    std::vector<Recording> recordings_;
    int files_ = 0;
    std::set<std::uint64_t> seen_;
    std::uint64_t offset_ = 0;
    Status status_;
};

Status unpack(const Package& package, const BuildOptions& options, const fs::path& scratch,
              PackageWriter& writer) {
    auto deb = find_or_download(options.folder / "debs", package.name);
    if (!deb) return deb.error();
    // dpkg-deb knows every compression that a .deb may use.
    struct PipeCloser {
        void operator()(std::FILE* pipe) const { pclose(pipe); }
    };
    const std::unique_ptr<std::FILE, PipeCloser> pipe(popen(
        fmt::format("dpkg-deb --fsys-tarfile '{}'", deb->string()).c_str(), "r"));  // NOLINT(cert-env33-c)
    if (!pipe) return make_error(ErrorKind::Io, "Cannot unpack \"{}\".", deb->string());
    return walk_archive(
        pipe.get(), scratch,
        [&](const std::string& path) { return find_match(package, path).rule != nullptr; },
        [&](const std::string& path, const fs::path& file) {
            const Match match = find_match(package, path);
            const std::string name = fs::path(path).filename().string();
            if (match.rule->kind == "soundfont")
                writer.add_file(kSoundfonts, file, name, match.pool);
            else if (match.rule->kind == "score")
                writer.add_file(kScores, file, name, match.pool);
            else
                writer.add(path, file, match.rule->kind, match.group, match.pool);
        });
}

// Every voice says every text; speed and pitch follow from the voice's place in the list.
Status synthesise(const Package& package, const fs::path& scratch, PackageWriter& writer) {
    const Speak& speak = *package.speak;
    const fs::path file = scratch / "spoken.wav";
    for (std::size_t c = 0; c < speak.commands.size(); ++c) {
        for (std::size_t v = 0; v < speak.voices.at(c).size(); ++v) {
            const std::string& voice = speak.voices[c][v];
            for (std::size_t t = 0; t < speak.texts.size(); ++t) {
                const std::string command = fmt::format(
                    fmt::runtime(speak.commands[c] + " > /dev/null 2>&1"), fmt::arg("voice", voice),
                    fmt::arg("words", 140 + v * 7 % 60), fmt::arg("pitch", 25 + v * 11 % 50),
                    fmt::arg("file", file.string()), fmt::arg("text", speak.texts[t]));
                if (std::system(command.c_str()) != 0) {  // NOLINT(concurrency-mt-unsafe,cert-env33-c)
                    return make_error(
                        ErrorKind::NotFound,
                        "Cannot make voices for {}: \"{}\" failed. Install espeak-ng and flite.",
                        package.name, command);
                }
                writer.add(fmt::format("{} {}.wav", voice, t + 1), file, "behind", voice, package.pool);
            }
        }
    }
    return {};
}

// The same charts every time.
Status arrange(const Package& package, const fs::path& scratch, PackageWriter& writer) {
    const Accompany& accompany = *package.accompany;
    const auto grooves = grooves_of(accompany.styles, accompany.grooves_a_style);
    if (!grooves) return grooves.error();
    const fs::path chart = scratch / "chart.mma", file = scratch / "score.mid";
    int failed = 0;
    for (std::size_t i = 0; i < grooves->size(); ++i) {
        Rng rng(i + 1);
        if (auto status = write_text_file(chart, chart_of((*grooves)[i], rng)); !status) return status;
        const std::string command =
            fmt::format(fmt::runtime(accompany.command + " > /dev/null 2>&1"),
                        fmt::arg("chart", chart.string()), fmt::arg("file", file.string()));
        // Some styles play things of their own that are not everywhere.
        if (std::system(command.c_str()) != 0) {  // NOLINT(concurrency-mt-unsafe,cert-env33-c)
            ++failed;
            continue;
        }
        writer.add_file(kScores, file, fmt::format("{} {}.mid", package.name, (*grooves)[i].name),
                        package.pool);
    }
    if (failed > static_cast<int>(grooves->size()) / 4)
        return make_error(ErrorKind::NotFound, "{} of {} charts could not be arranged. Install {}.", failed,
                          grooves->size(), package.name);
    return {};
}

Status build_package(const Package& package, const BuildOptions& options) {
    if (fs::exists(options.folder / "index" / (package.name + ".json"))) return {};
    const fs::path scratch = options.folder / "scratch" / package.name;
    fs::create_directories(scratch);
    auto writer = PackageWriter::create(package, options);
    if (!writer) return writer.error();
    const Status status = package.speak       ? synthesise(package, scratch, *writer)
                          : package.accompany ? arrange(package, scratch, *writer)
                                              : unpack(package, options, scratch, *writer);
    std::error_code ignored;
    fs::remove_all(scratch, ignored);
    return status.ok() ? writer->finish() : status;
}

double percentile(std::vector<double> values, double share) {
    if (values.empty()) return 0.0;
    const auto at = static_cast<std::ptrdiff_t>(share * static_cast<double>(values.size() - 1));
    std::nth_element(values.begin(), values.begin() + at, values.end());
    return values[static_cast<std::size_t>(at)];
}

double decibels(double power) {
    return 10.0 * std::log10(power + 1e-12);
}

}  // namespace

std::string_view name_of(Pool pool) {
    constexpr std::array<std::string_view, kPools.size()> kNames = {"learn", "choose", "tell"};
    return kNames[static_cast<std::size_t>(pool)];
}

Measures measure(std::span<const float> mono, int sample_rate) {
    Measures m;
    double sum = 0.0;
    double power = 0.0;
    std::size_t clipped = 0;
    for (const float x : mono) {
        sum += static_cast<double>(x);
        power += static_cast<double>(x) * static_cast<double>(x);
        if (std::abs(x) > 0.999F) ++clipped;
    }
    const auto count = static_cast<double>(std::max<std::size_t>(mono.size(), 1));
    m.dc = sum / count;
    m.level_db = decibels(power / count);
    m.clipped_share = static_cast<double>(clipped) / count;

    std::vector<double> levels;
    const auto block = static_cast<std::size_t>(sample_rate / 20);
    for (std::size_t i = 0; i + block <= mono.size(); i += block) {
        double energy = 0.0;
        for (const float x : mono.subspan(i, block))
            energy += static_cast<double>(x) * static_cast<double>(x);
        levels.push_back(decibels(energy / static_cast<double>(block)));
    }
    m.noise_floor_db = percentile(levels, 0.05);
    m.level_range_db = percentile(levels, 0.95) - m.noise_floor_db;

    Stft stft(2048);
    const auto spectra = analyse(stft, mono);
    const auto bins = static_cast<std::size_t>(stft.bins());
    std::vector<double> mean(bins, 0.0);
    for (std::size_t i = 0; i < spectra.size(); ++i)
        mean[i % bins] += static_cast<double>(std::norm(spectra[i]));
    const double limit = *std::max_element(mean.begin() + 1, mean.end()) * 1e-6;
    std::size_t top = bins - 1;
    while (top > 1 && mean[top] < limit) --top;
    m.bandwidth_hz = static_cast<double>(top) * sample_rate / stft.fft_size();
    return m;
}

Status build_corpus(const BuildOptions& options) {
    auto packages = read_packages(options.package_list);
    if (!packages) return packages.error();
    for (const char* sub : {"debs", "pcm", "index", "scratch"}) fs::create_directories(options.folder / sub);
    std::atomic<std::size_t> next{0};
    std::mutex mutex;
    Status first_failure;
    std::vector<std::jthread> workers;
    for (int i = 0; i < options.threads; ++i) {
        workers.emplace_back([&] {
            for (std::size_t at = next++; at < packages->size(); at = next++) {
                const Package& package = (*packages)[at];
                if (!options.only.empty() &&
                    std::ranges::find(options.only, package.name) == options.only.end())
                    continue;
                Status status = build_package(package, options);
                if (!status) {
                    const std::lock_guard lock(mutex);
                    options.log(status.error().message);
                    if (first_failure.ok()) first_failure = status;
                }
            }
        });
    }
    workers.clear();
    return first_failure;
}

Result<Corpus> Corpus::open(const fs::path& folder) {
    Corpus corpus;
    corpus.folder_ = folder;
    std::error_code error;
    std::set<std::uint64_t> seen;
    std::vector<fs::path> indices;
    for (const auto& entry : fs::directory_iterator(folder / "index", error)) indices.push_back(entry.path());
    std::ranges::sort(indices);  // the order decides what a seed draws
    for (const auto& path : indices) {
        auto text = read_text_file(path);
        if (!text) return text.error();
        const auto json = nlohmann::json::parse(*text, nullptr, false);
        if (!json.is_array())
            return make_error(ErrorKind::BadInput, "\"{}\" is damaged. Build the corpus again.",
                              path.string());
        if (json.empty()) continue;  // of files
        auto pcm = MappedFile::open(folder / "pcm" / (path.stem().string() + ".s16"));
        if (!pcm) return pcm.error();
        for (const auto& recording : json.get<std::vector<Recording>>()) {
            if (!seen.insert(recording.hash).second) continue;
            if (recording.kind == "speech" && recording.measures.level_range_db < kLeastSpeechRangeDb)
                continue;
            if (recording.measures.level_db < -60.0) continue;
            const std::string group = recording.kind != "effects" && recording.kind != "music"
                                          ? recording.group
                                          : recording.package + ":" + recording.group;
            corpus.groups_[{recording.kind, recording.pool}][group].push_back(recording);
        }
        corpus.pcm_.emplace(path.stem().string(), std::move(*pcm));
    }
    if (corpus.groups_.empty()) {
        return make_error(ErrorKind::NotFound,
                          "There is no corpus in \"{}\". Run 'rivlen-learn corpus' first.", folder.string());
    }
    return corpus;
}

const Corpus::Groups& Corpus::groups(const std::string& kind, Pool pool) const {
    static const Groups none;
    const auto found = groups_.find({kind, pool});
    return found != groups_.end() ? found->second : none;
}

void Corpus::read(const Recording& recording, std::uint64_t start_frame, int channel,
                  std::span<float> out) const {
    const auto bytes = pcm_.at(recording.package).bytes();
    const auto channels = static_cast<std::uint64_t>(recording.channels);
    const auto lane = static_cast<std::uint64_t>(channel) % channels;
    for (std::size_t i = 0; i < out.size(); ++i) {
        const std::uint64_t frame = start_frame + i;
        if (frame >= recording.frames) {
            out[i] = 0.0F;
            continue;
        }
        std::int16_t value = 0;
        std::memcpy(&value,
                    bytes.data() + (recording.offset_samples + frame * channels + lane) * sizeof value,
                    sizeof value);
        out[i] = static_cast<float>(value) / 32767.0F;
    }
}

namespace {

std::vector<fs::path> files_in(const fs::path& folder) {
    std::vector<fs::path> files;
    std::error_code error;
    for (const auto& entry : fs::directory_iterator(folder, error)) files.push_back(entry.path());
    std::ranges::sort(files);
    return files;
}

}  // namespace

void Corpus::keep(const std::function<bool(const Recording&)>& wanted) {
    for (auto& [key, groups] : groups_) {
        for (auto& [name, recordings] : groups)
            std::erase_if(recordings, [&](const Recording& r) { return !wanted(r); });
        std::erase_if(groups, [](const auto& group) { return group.second.empty(); });
    }
}

std::vector<fs::path> Corpus::soundfonts(Pool pool) const {
    return files_in(folder_ / kSoundfonts / name_of(pool));
}

std::vector<fs::path> Corpus::scores(Pool pool) const {
    return files_in(folder_ / kScores / name_of(pool));
}

std::string Corpus::summary() const {
    std::string text;
    for (const auto& [key, groups] : groups_) {
        double seconds = 0.0;
        std::size_t count = 0;
        for (const auto& [name, recordings] : groups) {
            count += recordings.size();
            for (const auto& recording : recordings)
                seconds += static_cast<double>(recording.frames) / kCorpusRate;
        }
        text += fmt::format("{:8} {:10} {:4} groups {:6} recordings {:8.1f} minutes\n", key.first,
                            name_of(key.second), groups.size(), count, seconds / 60.0);
    }
    return text;
}

}  // namespace rivlen::learn
