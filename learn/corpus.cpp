#include "learn/corpus.h"

#include <archive.h>
#include <archive_entry.h>
#include <xxhash.h>

#include <algorithm>
#include <atomic>
#include <cmath>
#include <cstring>
#include <fstream>
#include <memory>
#include <mutex>
#include <nlohmann/json.hpp>
#include <optional>
#include <regex>
#include <set>
#include <thread>

#include "core/base/output_file.h"
#include "core/media/decode.h"
#include "core/media/resample.h"
#include "core/split/stft.h"

namespace rivlen::learn {

NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(Measures, bandwidth_hz, level_db, level_range_db, noise_floor_db, dc,
                                   clipped_share)
NLOHMANN_JSON_SERIALIZE_ENUM(Pool, {{Pool::Learn, "learn"}, {Pool::Choose, "choose"}, {Pool::Tell, "tell"}})
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(Recording, package, path, group, kind, pool, hash, offset_samples, frames,
                                   channels, measures)

namespace {

namespace fs = std::filesystem;
using nlohmann::json;

constexpr double kShortestSeconds = 0.4;
constexpr double kLeastSpeechRangeDb = 20.0;

struct Rule {
    std::string kind;
    std::regex match;
    std::string group;
    std::set<std::string> choose, tell, skip;
};
// Voices to be synthesised: every text by every voice of a command.
struct Speak {
    std::vector<std::string> commands, texts;
    std::vector<std::vector<std::string>> voices;  // of each command
};
struct Package {
    std::string name;
    Pool pool = Pool::Learn;
    std::vector<Rule> rules;
    std::optional<Speak> speak;
};

NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(Speak, commands, texts, voices)

Result<std::vector<Package>> read_packages(const fs::path& path) {
    auto text = read_text_file(path);
    if (!text) return text.error();
    std::vector<Package> packages;
    try {
        const json list = json::parse(*text);
        for (const auto& entry : list.at("packages")) {
            Package package{entry.at("package"), entry.value("pool", Pool::Learn), {}, {}};
            if (entry.contains("speak")) package.speak = entry.at("speak").get<Speak>();
            for (const auto& rule : entry.value("rules", json::array())) {
                package.rules.push_back({rule.at("kind"), std::regex(rule.at("match").get<std::string>()),
                                         rule.value("group", ""),
                                         rule.value("choose", std::set<std::string>{}),
                                         rule.value("tell", std::set<std::string>{}),
                                         rule.value("skip", std::set<std::string>{})});
            }
            packages.push_back(std::move(package));
        }
    } catch (const std::exception& problem) {
        return make_error(ErrorKind::BadInput, "The package list \"{}\" is damaged: {}.", path.string(),
                          problem.what());
    }
    return packages;
}

// What a rule says about a path inside a package.
struct Match {
    const Rule* rule = nullptr;
    std::string group;
};
Match find_rule(const Package& package, const std::string& path) {
    for (const auto& rule : package.rules) {
        std::smatch capture;
        if (!std::regex_search(path, capture, rule.match)) continue;
        std::string group = !rule.group.empty() ? rule.group : capture.size() > 1 ? capture[1].str() : "all";
        if (rule.skip.contains(group)) return {};
        return {&rule, group};
    }
    return {};
}

struct ArchiveCloser {
    void operator()(archive* handle) const { archive_read_free(handle); }
};
using Archive = std::unique_ptr<archive, ArchiveCloser>;

Archive new_reader() {
    Archive reader(archive_read_new());
    archive_read_support_filter_all(reader.get());
    archive_read_support_format_all(reader.get());
    return reader;
}

// Files that only hold sounds one after another, with names between them: every RIFF WAVE in them, by its own
// length.
void carve(const fs::path& file, const std::string& prefix, const fs::path& scratch,
           const std::function<bool(const std::string&)>& wanted,
           const std::function<void(const std::string&, const fs::path&)>& take) {
    const auto text = read_text_file(file);
    if (!text) return;
    constexpr std::size_t kHead = 8;  // "RIFF" and the length of what follows
    int count = 0;
    for (std::size_t at = text->find("RIFF"); at != std::string::npos; at = text->find("RIFF", at + 4)) {
        if (text->compare(at + kHead, 4, "WAVE") != 0) continue;
        std::uint32_t length = 0;
        std::memcpy(&length, text->data() + at + 4, sizeof length);
        if (length > text->size() - at - kHead) continue;
        const std::string path = fmt::format("{}{}.wav", prefix, ++count);
        if (!wanted(path)) continue;
        const fs::path sound = scratch / "carved.wav";
        std::ofstream(sound, std::ios::binary)
            .write(text->data() + at, static_cast<std::streamsize>(length + kHead));
        take(path, sound);
        at += length;
    }
}

bool is_archive_name(const std::string& name) {
    static const std::regex pattern(R"(\.(zip|pk3|wz|tar|tar\.[a-z0-9]+|cat)$)");
    return std::regex_search(name, pattern);
}

// Calls `take` with every file in an archive for which it is wanted, extracted to `scratch`.
void walk(archive* reader, const std::string& prefix, const fs::path& scratch,
          const std::function<bool(const std::string&)>& wanted,
          const std::function<void(const std::string&, const fs::path&)>& take) {
    archive_entry* entry = nullptr;
    int count = 0;
    while (archive_read_next_header(reader, &entry) == ARCHIVE_OK) {
        if (archive_entry_filetype(entry) != AE_IFREG) continue;
        const std::string path = prefix + archive_entry_pathname(entry);
        const bool nested = is_archive_name(path);
        if (!nested && !wanted(path)) continue;
        const fs::path file =
            scratch / fmt::format("{}{}{}", prefix.size(), ++count, fs::path(path).extension().string());
        {
            std::ofstream out(file, std::ios::binary);
            const void* block = nullptr;
            std::size_t size = 0;
            la_int64_t offset = 0;
            while (archive_read_data_block(reader, &block, &size, &offset) == ARCHIVE_OK) {
                out.write(static_cast<const char*>(block), static_cast<std::streamsize>(size));
            }
        }
        if (path.ends_with(".cat")) {
            carve(file, path + "!", scratch, wanted, take);
        } else if (nested) {
            const Archive inner = new_reader();
            if (archive_read_open_filename(inner.get(), file.c_str(), 1 << 16) == ARCHIVE_OK) {
                walk(inner.get(), path + "!", scratch, wanted, take);
            }
        } else {
            take(path, file);
        }
        std::error_code ignored;
        fs::remove(file, ignored);
    }
}

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
    const double seconds = static_cast<double>(audio->frames()) / audio->sample_rate;
    if (seconds < kShortestSeconds) return result;
    const double longest = kind == "music" ? options.longest_music_seconds : options.longest_effect_seconds;
    if (kind != "speech" && seconds > longest) {
        const auto keep = static_cast<std::ptrdiff_t>(longest * audio->sample_rate);
        const auto from = (static_cast<std::ptrdiff_t>(audio->frames()) - keep) / 3;
        for (auto& channel : audio->channels)
            channel = {channel.begin() + from, channel.begin() + from + keep};
    }
    std::vector<float> mono(audio->frames());
    const auto share = 1.0F / static_cast<float>(audio->channels.size());
    for (const auto& channel : audio->channels) {
        for (std::size_t i = 0; i < mono.size(); ++i) mono[i] += channel[i] * share;
    }
    result.facts.measures = measure(mono, audio->sample_rate);
    if (kind == "speech" || audio->channels.size() == 1) {
        audio->channels = {mono};
    } else {
        audio->channels.resize(2);
    }
    for (auto& channel : audio->channels) channel = resample(channel, audio->sample_rate, kCorpusRate);
    result.facts.channels = static_cast<int>(audio->channels.size());
    result.facts.frames = audio->frames();
    result.pcm.resize(audio->frames() * audio->channels.size());
    for (std::size_t i = 0; i < result.pcm.size(); ++i) {
        const float value = audio->channels[i % audio->channels.size()][i / audio->channels.size()];
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
        if (recordings_.empty())
            return make_error(ErrorKind::BadInput, "No recording found in {}.", package_->name);
        if (auto status = out_.commit(); !status) return status;
        const fs::path index = options_->folder / "index" / (package_->name + ".json");
        if (auto status = write_text_file(index, json(recordings_).dump(1)); !status) return status;
        options_->log(fmt::format("{}: {} recordings", package_->name, recordings_.size()));
        return {};
    }

  private:
    PackageWriter(const Package& package, const BuildOptions& options, OutputFile out)
        : package_(&package), options_(&options), out_(std::move(out)) {}
    const Package* package_;
    const BuildOptions* options_;
    OutputFile out_;
    std::vector<Recording> recordings_;
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
    const Archive reader = new_reader();
    if (!pipe || archive_read_open_FILE(reader.get(), pipe.get()) != ARCHIVE_OK) {
        return make_error(ErrorKind::Io, "Cannot unpack \"{}\".", deb->string());
    }
    walk(
        reader.get(), "", scratch,
        [&](const std::string& path) { return find_rule(package, path).rule != nullptr; },
        [&](const std::string& path, const fs::path& file) {
            const Match match = find_rule(package, path);
            const Pool pool = match.rule->choose.contains(match.group) ? Pool::Choose
                              : match.rule->tell.contains(match.group) ? Pool::Tell
                                                                       : package.pool;
            writer.add(path, file, match.rule->kind, match.group, pool);
        });
    return {};
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

Status build_package(const Package& package, const BuildOptions& options) {
    if (fs::exists(options.folder / "index" / (package.name + ".json"))) return {};
    const fs::path scratch = options.folder / "scratch" / package.name;
    fs::create_directories(scratch);
    auto writer = PackageWriter::create(package, options);
    if (!writer) return writer.error();
    const Status status =
        package.speak ? synthesise(package, scratch, *writer) : unpack(package, options, scratch, *writer);
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
