// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/teach_study.h"

#include <ATen/Parallel.h>
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <numeric>
#include <optional>

#include "core/dsp/decibels.h"
#include "core/separation/other_sound.h"
#include "engine/learning/teacher.h"
#include "learn/evaluate.h"
#include "learn/telling/telling_mixes.h"

namespace rivlen::learn {

namespace {

constexpr double kMarkedSeconds = 8.0;
constexpr double kSeconds = 30.0;

struct Kind {
    const char* mix;  // of TellingMixes::kinds()
    Stem lesson;
    int count;
};
constexpr std::array<Kind, 5> kKinds = {{{"voice in recorded ambience", Stem::Ambience, 6},
                                         {"voice in made ambience", Stem::Ambience, 3},
                                         {"voice in a crowd", Stem::Ambience, 3},
                                         {"voice over music", Stem::Music, 2},
                                         {"voice in recorded ambience", Stem::Dialogue, 2}}};

std::size_t marked_frames() {
    return static_cast<std::size_t>(kMarkedSeconds * kCorpusRate);
}

Stereo behind(const Stereo& x, std::size_t first) {
    Stereo out;
    for (std::size_t c = 0; c < 2; ++c)
        out[c].assign(x[c].begin() + static_cast<std::ptrdiff_t>(first), x[c].end());
    return out;
}

// A recording whose first seconds hold the lesson alone, and what lies behind them.
struct Case {
    Kind kind;
    int number = 0;
    Lesson lesson;
    Mix rest;
};

Case case_of(const Kind& kind, int number, Mix whole) {
    Case out{kind, number, {kind.lesson, AudioBlock(kCorpusRate, 2)}, {}};
    Stereo sound = whole.stems[static_cast<std::size_t>(kind.lesson)];
    if (kind.lesson == Stem::Dialogue) {
        for (std::size_t c = 0; c < 2; ++c) {
            for (std::size_t i = 0; i < sound[c].size(); ++i) sound[c][i] += whole.stems[1][c][i];
        }
    }
    out.lesson.sound.append(sound, 0, marked_frames());
    out.rest.kind = whole.kind;
    for (std::size_t s = 0; s < kStems; ++s) out.rest.stems[s] = behind(whole.stems[s], marked_frames());
    out.rest.mix = behind(whole.mix, marked_frames());
    out.rest.dry_voice.assign(whole.dry_voice.begin() + static_cast<std::ptrdiff_t>(marked_frames()),
                              whole.dry_voice.end());
    out.rest.bandwidth_hz = whole.bandwidth_hz;
    return out;
}

// A mark is set where something is heard, and matters where it goes on.
bool sounds(const Case& c) {
    constexpr double kLeastPower = 1e-6;
    const auto power = [](std::span<const float> x) {
        return energy_of(x) / static_cast<double>(std::max<std::size_t>(1, x.size()));
    };
    return power(c.lesson.sound[0]) > kLeastPower && power(c.rest.stems[0][0]) > kLeastPower &&
           power(c.rest.stems[static_cast<std::size_t>(c.kind.lesson)][0]) > kLeastPower;
}

class StudyMixes {
  public:
    StudyMixes(const Corpus& corpus, bool choose)
        : choose_(choose), telling_(corpus), choosing_(corpus, Pool::Choose) {}
    [[nodiscard]] Mix make(const Kind& kind, int n) const {
        if (!choose_) return telling_.make(kind.mix, n, kSeconds);
        Rng rng(9000 + static_cast<std::uint64_t>(n) * 31 +
                static_cast<std::uint64_t>(&kind - kKinds.data()));
        Scene scene =
            Mixer::scene_of_kind(kind.lesson == Stem::Music ? "voice over music" : "voice in a crowd", rng);
        if (kind.lesson != Stem::Music) scene.ambiences = {"recorded"};
        return choosing_.make(scene, static_cast<std::size_t>(kSeconds * kCorpusRate), rng);
    }
    [[nodiscard]] std::vector<Mix> ordinary() const {
        std::vector<Mix> mixes;
        if (choose_) {
            for (const auto& kind : Mixer::kinds()) {
                Rng rng(77 + mixes.size());
                mixes.push_back(choosing_.make(Mixer::scene_of_kind(kind, rng), 6 * kCorpusRate, rng));
            }
            return mixes;
        }
        for (const auto& kind : TellingMixes::kinds()) {
            for (int n = 1000; n < 1002; ++n) mixes.push_back(telling_.make(kind, n, 8.0));
        }
        return mixes;
    }

  private:
    bool choose_;
    TellingMixes telling_;
    Mixer choosing_;
};

struct Gains {
    std::optional<double> lesson, other;  // the taught stem, and the one that it is to be told from
};
Gains gains_of(SeparationNetwork& network, const Case& c) {
    const auto f = figures_of(c.rest, apply_masks(network_masks(network, c.rest), c.rest));
    const auto of = [&](Stem stem) -> std::optional<double> {
        const auto found = f.gain_db.find(kStemNames[static_cast<std::size_t>(stem)]);
        return found != f.gain_db.end() ? std::optional(found->second) : std::nullopt;
    };
    return {of(c.kind.lesson), of(c.kind.lesson == Stem::Dialogue ? Stem::Ambience : Stem::Dialogue)};
}

std::array<double, 4> ordinary_gains(SeparationNetwork& network, const std::vector<Mix>& mixes) {
    std::vector<Figures> figures;
    for (const auto& mix : mixes)
        figures.push_back(figures_of(mix, apply_masks(network_masks(network, mix), mix)));
    return mean_gains(figures);
}
double mean_of(const std::array<double, 4>& gains) {
    return (gains[0] + gains[1] + gains[2]) / 3.0;
}

// Sums of what a kind of lesson brought.
struct Sums {
    double lesson = 0, other = 0, ordinary = 0, worst_ordinary = 1e9, seconds = 0;
    int count = 0, taken = 0;
    void add(double lesson_gain, double other_gain, double ordinary_gain, double took_seconds,
             bool was_taken) {
        lesson += lesson_gain;
        other += other_gain;
        ordinary += ordinary_gain;
        worst_ordinary = std::min(worst_ordinary, ordinary_gain);
        seconds += took_seconds;
        ++count;
        taken += was_taken ? 1 : 0;
    }
};

class Study {
  public:
    Study(const TeachStudyOptions& options, LoadedNetwork model, std::vector<OtherSound> others,
          std::vector<Mix> ordinary)
        : options_(options),
          model_(std::move(model)),
          others_(std::move(others)),
          ordinary_(std::move(ordinary)),
          folder_(std::filesystem::temp_directory_path() / fmt::format("rivlen-teach-{}", ::getpid())),
          ordinary_before_(mean_of(ordinary_gains(model_.network, ordinary_))) {
        std::filesystem::create_directories(folder_);
        // What is taught finds its model beside itself, wherever this program stands.
        model_file_ = folder_ / options.model.filename();
        std::filesystem::copy_file(options.model, model_file_);
    }
    ~Study() { std::filesystem::remove_all(folder_); }
    Study(const Study&) = delete;
    Study& operator=(const Study&) = delete;

    Status run(const Case& c, int steps) {
        TeachingWish wish;
        wish.model = model_file_;
        wish.lessons = {c.lesson};
        wish.others = others_;
        wish.steps = steps;
        wish.rate = options_.rate;
        wish.workers = options_.workers;
        wish.output = folder_ / "taught.safetensors";
        const auto report = teach_network(model_, wish, {});
        if (!report) return report.error();
        const Gains before = gains_of(model_.network, c);
        Gains after = before;
        double ordinary = 0.0;
        if (report->taken > 0) {
            auto taught = load_network(wish.output);
            if (!taught) return taught.error();
            after = gains_of(taught->network, c);
            ordinary = mean_of(ordinary_gains(taught->network, ordinary_)) - ordinary_before_;
        }
        const auto gain = [](const std::optional<double>& a, const std::optional<double>& b) {
            return a && b ? *b - *a : 0.0;
        };
        const TeachingTrial& trial = report->trials[report->taken];
        options_.log(fmt::format(
            "| {} {} | {} | {} | {:.2f} | {:.1f} | {:+.2f} | {:.1f} | {:+.2f} | {:+.2f} | {:+.2f} | {:.0f} |",
            c.kind.mix, c.number, kStemNames[static_cast<std::size_t>(c.kind.lesson)], steps, trial.share,
            before.lesson.value_or(0), gain(before.lesson, after.lesson), before.other.value_or(0),
            gain(before.other, after.other), trial.lessons_gain_db, ordinary, report->seconds));
        sums_[{static_cast<int>(c.kind.lesson), steps}].add(gain(before.lesson, after.lesson),
                                                            gain(before.other, after.other), ordinary,
                                                            report->seconds, report->taken > 0);
        return {};
    }
    void log_means() const {
        options_.log(
            "\n| lesson | steps | recordings | taken | taught stem | the other | ordinary mixes "
            "(worst) | s |\n|---|---|---|---|---|---|---|---|");
        for (const auto& [key, s] : sums_) {
            const double n = s.count;
            options_.log(fmt::format("| {} | {} | {} | {} | {:+.2f} | {:+.2f} | {:+.2f} ({:+.2f}) | {:.0f} |",
                                     kStemNames[static_cast<std::size_t>(key.first)], key.second, s.count,
                                     s.taken, s.lesson / n, s.other / n, s.ordinary / n, s.worst_ordinary,
                                     s.seconds / n));
        }
    }

  private:
    const TeachStudyOptions& options_;
    LoadedNetwork model_;
    std::vector<OtherSound> others_;
    std::vector<Mix> ordinary_;
    std::filesystem::path folder_, model_file_;
    double ordinary_before_;
    std::map<std::pair<int, int>, Sums> sums_;  // by lesson and steps
};

}  // namespace

Status study_teaching(const TeachStudyOptions& options) {
    at::set_num_threads(1);
    const auto corpus = Corpus::open(options.corpus);
    if (!corpus) return corpus.error();
    auto model = load_network(options.model);
    if (!model) return model.error();
    auto others = load_other_sound(options.others.empty() ? find_other_sound() : options.others);
    if (!others) return others.error();
    const StudyMixes material(*corpus, options.choose);
    Study study(options, std::move(*model), std::move(*others), material.ordinary());
    options.log(
        "| recording | lesson | steps | share | taught stem dB | gain | other dB | gain | kept back | "
        "ordinary | s |\n|---|---|---|---|---|---|---|---|---|---|---|");
    for (const Kind& kind : kKinds) {
        const int count = options.per_kind > 0 ? std::min(options.per_kind, kind.count) : kind.count;
        for (int n = 0; n < count; ++n) {
            // Mono and stereo take turns; talkers speak in other recordings than the ambiences are marked in.
            const int number = kind.lesson == Stem::Dialogue ? 500 + n : n;
            const Case c = case_of(kind, number, material.make(kind, number));
            if (!sounds(c)) continue;
            const auto& only = options.only;
            const auto name = fmt::format("{} {}", kind.mix, number);
            if (!only.empty() && std::ranges::find(only, name) == only.end()) continue;
            for (const int steps : options.steps) {
                if (auto status = study.run(c, steps); !status) return status;
            }
        }
    }
    study.log_means();
    return {};
}

}  // namespace rivlen::learn
