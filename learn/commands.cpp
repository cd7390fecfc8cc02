// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/commands.h"

#include <ATen/Parallel.h>
#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <memory>

#include "core/base/output_file.h"
#include "core/media/sound_file.h"
#include "learn/average.h"
#include "learn/corpus.h"
#include "learn/doubt_study.h"
#include "learn/evaluate.h"
#include "learn/faults.h"
#include "learn/mask_study.h"
#include "learn/parts_doubt_study.h"
#include "learn/song_lessons.h"
#include "learn/teach_study.h"
#include "learn/teaching_set.h"
#include "learn/telling/listening.h"
#include "learn/telling/tell.h"
#include "learn/tradeoff_study.h"
#include "learn/train.h"
#include "learn/world/ambience.h"
#include "learn/world/music.h"

namespace rivlen::learn {

namespace {

void say(const std::string& line) {
    fmt::print("{}\n", line);
    std::fflush(stdout);
}

void add_corpus(CLI::App& app, Status& status) {
    auto options = std::make_shared<BuildOptions>();
    options->log = say;
    options->package_list = RIVLEN_PACKAGE_LIST;
    auto* command = app.add_subcommand("corpus", "Download, decode and measure the packages to learn from");
    command->add_option("folder", options->folder, "Where the corpus is kept")->required();
    command->add_option("--packages", options->package_list, "The list of packages");
    command->add_option("--only", options->only, "Only these packages");
    command->add_option("--threads", options->threads, "Packages at a time");
    command->callback([options, &status] {
        status = build_corpus(*options);
        auto corpus = Corpus::open(options->folder);
        if (corpus) fmt::print("{}", corpus->summary());
    });
}

void add_train(CLI::App& app, Status& status) {
    auto options = std::make_shared<TrainOptions>();
    options->log = say;
    options->spec.feature_channels = kFeatureChannels;
    auto* command = app.add_subcommand("train", "Train a model, or go on with one");
    // A script has options of its own before those of who calls it (tools/keep-learning).
    command->option_defaults()->multi_option_policy(CLI::MultiOptionPolicy::TakeLast);
    command->add_option("corpus", options->corpus, "Corpus folder")->required();
    command->add_option("run", options->run, "Folder of this run")->required();
    command->add_option("--patch-frames", options->spec.patch_frames, "Frames a patch");
    command->add_option("--patch-bands", options->spec.patch_bands, "Bands a patch");
    command->add_option("--width", options->spec.width, "Features a patch");
    command->add_option("--blocks", options->spec.blocks, "Blocks");
    command->add_option("--hidden", options->spec.hidden, "Width of recurrences or convolutions");
    command->add_option("--memory-steps", options->spec.memory_steps,
                        "Patches of a window of the recurrences along time; 0: without end");
    command->add_option("--memory-overlap", options->spec.memory_overlap,
                        "Last patches of a window, in which the next one warms up; 0: all of them");
    command->add_option("--mlp-hidden", options->spec.mlp_hidden, "Width of a perceptron after every block");
    command->add_option("--head-hidden", options->spec.head_hidden, "Width of the mask head");
    command->add_flag("--head-sees-input", options->spec.head_sees_input,
                      "Give the head the patch itself, too");
    command->add_option("--workers", options->workers, "Threads");
    command->add_option("--clips", options->clips, "Clips a step");
    command->add_option("--clip-seconds", options->clip_seconds, "Length of a clip");
    command->add_option("--steps", options->steps, "Steps in all");
    command->add_option("--rate", options->learning_rate, "Highest learning rate");
    command->add_option("--warmup-steps", options->warmup_steps, "First steps, over which the rate rises");
    command->add_option("--decay-steps", options->decay_steps,
                        "Last steps, over which the rate falls to nothing");
    command->add_option("--absent-cost", options->absent_cost,
                        "How much more it costs what goes to an absent stem");
    command->add_flag("--songs", options->songs,
                      "Learn the parts of songs (voices, drums, bass, rest) instead of stems");
    command->add_option("--parts", options->stock.parts,
                        "Parts that each worker's mixes are made of at a time");
    command->add_option("--uses", options->stock.uses, "Times that a part is used, on average");
    command->add_flag("--muon,!--adamw", options->optimizer.muon, "Optimiser of the matrices");
    command->add_option("--average", options->average, "Memory of the averaged weights, a step");
    command->add_option("--evaluate-every", options->evaluate_every, "Steps between evaluations");
    command->add_option("--save-every", options->save_every, "Steps between checkpoints");
    command->add_option("--seed", options->seed, "Seed of mixes and weights");
    command->add_option("--max-core-hours", options->max_core_hours,
                        "Stop after so much processor time; call again to go on");
    command->add_option("--start-from", options->start_from,
                        "Weights to begin with; the network may be larger than theirs");
    command->add_option("--follow", options->follow, "A larger model, whose masks are learned from, too");
    command->add_option("--follow-share", options->follow_share, "How much of the loss is theirs, 0 to 1")
        ->check(CLI::Range(0.0, 1.0));
    command->callback([options, &status] { status = train(*options); });
}

struct ExampleOptions {
    std::filesystem::path corpus, out;
    double seconds = 5.0;
    std::uint64_t seed = 1;
};

Status write_examples(const ExampleOptions& options) {
    auto corpus = Corpus::open(options.corpus);
    if (!corpus) return corpus.error();
    const Material material(*corpus, Pool::Learn);
    const auto frames = static_cast<std::size_t>(options.seconds * kCorpusRate);
    std::filesystem::create_directories(options.out);
    std::vector<std::pair<std::string, std::function<Stereo(Rng&)>>> makers = {
        {"crowd", [&](Rng& rng) { return material.crowd(frames, rng); }},
        {"talkers behind", [&](Rng& rng) { return material.talkers_behind(frames, rng); }},
        {"recorded", [&](Rng& rng) { return material.recorded_ambience(frames, rng); }},
        {"music", [&](Rng& rng) { return material.music(frames, rng); }},
        {"music by rule", [&](Rng& rng) { return synthesise_music(frames, rng); }}};
    auto songs = song_maker(*corpus, material, Pool::Learn);
    if (!songs) return songs.error();
    makers.emplace_back("song", [&](Rng& rng) { return songs->make(frames, rng).mix; });
    for (std::size_t part = 0; part < kMusicParts; ++part)
        makers.emplace_back(fmt::format("song, {}", kMusicPartNames[part]),
                            [&, part](Rng& rng) { return songs->make(frames, rng).parts[part]; });
    for (const auto& name : synthetic_ambiences())
        makers.emplace_back(name, [&, name](Rng& rng) { return synthesise_ambience(name, frames, rng); });
    for (const auto& [name, make] : makers) {
        const auto start = std::chrono::steady_clock::now();
        Rng rng(options.seed);
        Stereo sound = make(rng);
        const double seconds =
            std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
        const double power = active_power(sound);
        for (auto& channel : sound) {
            for (float& v : channel) v *= static_cast<float>(0.05 / std::sqrt(power + 1e-12));
        }
        auto writer =
            SoundFileWriter::create(options.out / (name + ".wav"), SoundFormat::WavFloat, kCorpusRate, 2);
        if (!writer) return writer.error();
        if (auto status = writer->write(sound); !status) return status;
        if (auto status = writer->commit(); !status) return status;
        fmt::print("{:24} {:6.0f} x real time\n", name, options.seconds / seconds);
    }
    return {};
}

void add_examples(CLI::App& app, Status& status) {
    auto options = std::make_shared<ExampleOptions>();
    auto* command = app.add_subcommand("examples", "Write one example of everything that mixes are made of");
    command->add_option("corpus", options->corpus, "Corpus folder")->required();
    command->add_option("out", options->out, "Folder to write into")->required();
    command->add_option("--seconds", options->seconds, "Length of each");
    command->add_option("--seed", options->seed, "Another seed, other examples");
    command->callback([options, &status] { status = write_examples(*options); });
}

void add_average(CLI::App& app, Status& status) {
    auto options = std::make_shared<AverageOptions>();
    auto* command =
        app.add_subcommand("average", "Make the mean of weights that learned on from one another");
    command->add_option("models", options->models, "Weights; the last say what kind of network it becomes")
        ->required();
    command->add_option("-o,--output", options->out, "File to write")->required();
    command->add_option("--memory-steps", options->memory_steps,
                        "Patches of a window of its recurrences along time");
    command->add_option("--memory-overlap", options->memory_overlap,
                        "With --memory-steps: in how many of them the next window warms up; 0: in all");
    command->callback([options, &status] { status = average(*options); });
}

struct EvalOptions {
    std::filesystem::path corpus, model, json;
    int per_kind = 10;
    double seconds = 10.0;
    bool oracle = false;
    bool learned_from = false;
    bool voice = false;
    std::filesystem::path worst;
};

Status evaluate(const EvalOptions& options) {
    at::set_num_threads(1);
    auto corpus = Corpus::open(options.corpus);
    if (!corpus) return corpus.error();
    auto loaded = load_network(options.model);
    if (!loaded) return loaded.error();
    std::vector<Figures> figures;
    double network_seconds = 0.0;
    double mix_seconds = 0.0;
    const EvalSet set = make_eval_set(*corpus, options.per_kind, options.seconds,
                                      options.learned_from ? Pool::Learn : Pool::Choose);
    for (const auto& mix : set.mixes) {
        const auto start = std::chrono::steady_clock::now();
        const auto masks = options.oracle ? oracle_masks(mix) : network_masks(loaded->network, mix);
        network_seconds += std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
        mix_seconds += static_cast<double>(mix.frames()) / kCorpusRate;
        const auto estimates = apply_masks(masks, mix);
        figures.push_back(figures_of(mix, estimates));
        if (!options.voice) continue;
        if (auto status = add_voice_figures(mix, estimates, figures.back()); !status) return status;
    }
    if (!options.worst.empty()) {
        const auto again = [&](std::size_t i) { return set.mixes[i]; };
        const auto estimate = [&](const Mix& mix) {
            return apply_masks(network_masks(loaded->network, mix), mix);
        };
        if (auto status = keep_worst(figures, again, estimate, options.worst); !status) return status;
    }
    const std::string json = summary_json(figures);
    const auto gains = mean_gains(figures);
    fmt::print(
        "{}\n{}\n{}{} mixes: SI-SDR gain dialogue {:.2f}, music {:.2f}, ambience {:.2f}, dry voice {:.2f} "
        "dB; "
        "network {:.1f} x real time on one thread\n",
        json, gain_table(figures), options.voice ? voice_table(figures) + "\n" : "", figures.size(), gains[0],
        gains[1], gains[2], gains[3], mix_seconds / network_seconds);
    return options.json.empty() ? Status{} : write_text_file(options.json, json);
}

void add_evaluate(CLI::App& app, Status& status) {
    auto options = std::make_shared<EvalOptions>();
    auto* command = app.add_subcommand("eval", "Measure a model on mixes it never learned from");
    command->add_option("corpus", options->corpus, "Corpus folder")->required();
    command->add_option("model", options->model, "Weights (.safetensors)")->required();
    command->add_option("--per-kind", options->per_kind, "Mixes of every kind");
    command->add_option("--seconds", options->seconds, "Length of a mix");
    command->add_option("--json", options->json, "Write the table here");
    command->add_flag("--oracle", options->oracle, "Measure the oracle ratio mask instead of the model");
    command->add_flag("--voice", options->voice,
                      "Also BSS Eval and ESTOI of the voice, the oracle mask and FFmpeg's denoiser");
    command->add_option("--keep-worst", options->worst,
                        "Write the ten mixes that come out worst into this folder: mix, stem, estimate");
    command->add_flag("--learned-from", options->learned_from,
                      "Measure on material learned from instead: the distance shows how much is memory");
    command->callback([options, &status] { status = evaluate(*options); });
}

void add_songs(CLI::App& app, Status& status) {
    auto options = std::make_shared<SongEvalOptions>();
    auto tell = std::make_shared<bool>(false);
    auto* command = app.add_subcommand("songs", "Measure a model of the parts of music on songs");
    command->add_option("corpus", options->corpus, "Corpus folder")->required();
    command->add_option("model", options->model, "Weights (.safetensors)")->required();
    command->add_option("--songs", options->songs, "Songs");
    command->add_option("--seconds", options->seconds, "Length of a song");
    command->add_option("--json", options->json, "Write the table here");
    command->add_flag("--oracle", options->oracle, "Measure the oracle ratio mask instead of the model");
    command->add_flag("--tell", *tell, "With the soundfonts, readers and scores that nothing is chosen by");
    command->add_flag("--bands", options->bands,
                      "Recordings of bands: the guitar as the rest, all else as drums");
    command->add_flag("--scores", options->scores,
                      "Scores by people, as they are written, in place of songs by rule");
    command->callback([options, tell, &status] {
        if (*tell) options->pool = Pool::Tell;
        status = evaluate_songs(*options);
    });
}

void add_tell(CLI::App& app, Status& status) {
    auto options = std::make_shared<TellOptions>();
    auto* command =
        app.add_subcommand("tell", "The figures of docs/model.md: mixes, lone parts, plain sounds");
    command->add_option("corpus", options->corpus, "Corpus folder")->required();
    command->add_option("model", options->model, "Weights (.safetensors)")->required();
    command->add_option("--per-kind", options->per_kind, "Mixes of every kind");
    command->add_option("--lone-voices", options->lone_voices, "Voices on their own");
    command->add_option("--lone-others", options->lone_others, "Musics and ambiences on their own, each");
    command->add_option("--seconds", options->seconds, "Length of a mix");
    command->add_option("--workers", options->workers, "Threads");
    command->add_option("--json", options->json, "Write every figure here");
    command->add_option("--keep-worst", options->worst,
                        "Write the ten mixes that come out worst into this folder: mix, stem, estimate");
    command->add_flag("--oracle", options->oracle, "Measure the oracle ratio mask instead of the model");
    command->callback([options, &status] { status = tell(*options); });
}

void add_listen(CLI::App& app, Status& status) {
    auto options = std::make_shared<ListenOptions>();
    options->log = say;
    auto* command =
        app.add_subcommand("listen", "Mixes that figures are told by, with what comes out, as files");
    command->add_option("corpus", options->corpus, "Corpus folder")->required();
    command->add_option("model", options->model, "Weights (.safetensors)")->required();
    command->add_option("folder", options->folder, "Where they go")->required();
    command->add_option("--seconds", options->seconds, "Length of a mix");
    command->callback([options, &status] { status = write_for_listening(*options); });
}

void add_mask_study(CLI::App& app, Status& status) {
    auto options = std::make_shared<MaskStudyOptions>();
    auto* command =
        app.add_subcommand("masks", "Measure what can be done to masks, on mixes of what was learned from");
    command->add_option("corpus", options->corpus, "Corpus folder")->required();
    command->add_option("models", options->models, "Weights (.safetensors)")->required();
    command->add_option("--per-kind", options->per_kind, "Mixes of every kind");
    command->add_option("--seconds", options->seconds, "Length of a mix");
    command->callback([options, &status] {
        const auto table = mask_study(*options);
        if (table) fmt::print("{}", *table);
        if (!table) status = table.error();
    });
}

void add_seal(CLI::App& app, Status& status) {
    auto model = std::make_shared<std::filesystem::path>();
    auto* command = app.add_subcommand("seal", "Store the golden masks in a weights file anew");
    command->add_option("model", *model, "Weights (.safetensors)")->required();
    command->callback([model, &status] {
        at::set_num_threads(1);
        auto loaded = load_network(*model);
        status = loaded ? save_network(loaded->network, *model, loaded->metadata) : Status(loaded.error());
    });
}

void add_tradeoff(CLI::App& app, Status& status) {
    auto options = std::make_shared<TradeOffStudyOptions>();
    options->log = say;
    auto* command = app.add_subcommand("tradeoff", "Compare measured leak and damage with the truth");
    command->add_option("corpus", options->corpus, "Corpus folder")->required();
    command->add_option("model", options->model, "Weights (.safetensors)")->required();
    command->add_option("--mixes", options->mixes, "Mixes");
    command->add_option("--seconds", options->seconds, "Length of a mix");
    command->add_option("--seed", options->seed, "Another seed, other mixes");
    command->add_option("--workers", options->workers, "Threads");
    command->add_option("--json", options->json, "Write every figure here");
    command->callback([options, &status] { status = study_tradeoff(*options); });
}

void add_doubt(CLI::App& app, Status& status) {
    auto options = std::make_shared<DoubtStudyOptions>();
    options->log = say;
    auto* command = app.add_subcommand("doubt", "How well doubt finds the moments at which masks are wrong");
    command->add_option("corpus", options->corpus, "Corpus folder")->required();
    command->add_option("shown", options->shown, "Weights whose masks are judged (.safetensors)")->required();
    command->add_option("other", options->other, "Weights beside them (.safetensors)")->required();
    command->add_option("--per-kind", options->per_kind, "Mixes of each kind");
    command->add_option("--seconds", options->seconds, "Length of a mix");
    command->add_flag("--choose", options->choose, "By the pool that measures are chosen by");
    command->callback([options, &status] { status = study_doubt(*options); });
}

void add_parts_doubt(CLI::App& app, Status& status) {
    auto options = std::make_shared<PartsDoubtOptions>();
    options->log = say;
    auto* command = app.add_subcommand("parts-doubt",
                                       "How well doubt finds the moments at which parts of music are wrong");
    command->add_option("corpus", options->corpus, "Corpus folder")->required();
    command->add_option("model", options->model, "Weights for the parts (.safetensors)")->required();
    command->add_option("--songs", options->songs, "Songs");
    command->add_option("--seconds", options->seconds, "Length of a song");
    command->add_flag("--choose", options->choose, "By the pool that measures are chosen by");
    command->add_flag("--scores", options->scores,
                      "Scores by people, as they are written, in place of songs by rule");
    command->callback([options, &status] { status = study_parts_doubt(*options); });
}

void add_teaching_set(CLI::App& app, Status& status) {
    auto options = std::make_shared<TeachingSetOptions>();
    options->package_list = RIVLEN_PACKAGE_LIST;
    auto* command =
        app.add_subcommand("teaching-set", "Make the sound that lessons are mixed with (models/teaching)");
    command->add_option("corpus", options->corpus, "Corpus folder")->required();
    command->add_option("folder", options->folder, "Where it goes")->required();
    command->add_option("--clips", options->clips, "Number of clips");
    command->add_option("--clip-seconds", options->clip_seconds, "Length of each");
    command->add_flag("--songs", options->songs, "That of the model of parts: songs in their parts");
    command->callback([options, &status] { status = make_teaching_set(*options); });
}

void add_teach(CLI::App& app, Status& status) {
    auto options = std::make_shared<TeachStudyOptions>();
    options->log = say;
    auto* command = app.add_subcommand("teach", "What teaching a model one recording brings");
    command->add_option("corpus", options->corpus, "Corpus folder")->required();
    command->add_option("model", options->model, "Weights (.safetensors)")->required();
    command->add_option("--others", options->others,
                        "Sound that lessons are mixed with; else models/teaching");
    command->add_option("--steps", options->steps, "Of learning; each number is tried");
    command->add_option("--rate", options->rate, "Learning rate");
    command->add_option("--per-kind", options->per_kind, "Recordings of each kind at most");
    command->add_option("--only", options->only,
                        "Names of recordings, to go on with a study that was broken off");
    command->add_option("--workers", options->workers, "Threads");
    command->add_flag("--choose", options->choose, "By the pool that measures are chosen by");
    command->callback([options, &status] { status = study_teaching(*options); });
}

void add_faults(CLI::App& app, Status& status) {
    auto options = std::make_shared<FaultStudyOptions>();
    options->log = say;
    auto* command =
        app.add_subcommand("faults", "Put known faults into clean voices; tell what is found and mended");
    command->add_option("corpus", options->corpus, "Corpus folder; packages of speech are enough")
        ->required();
    command->add_option("--cases", options->cases, "Of each fault, and twice as many clean ones");
    command->add_option("--seconds", options->seconds, "Length of a case");
    command->add_option("--seed", options->seed, "Another seed, other cases");
    command->add_option("--json", options->json, "Write every case here");
    command->add_flag("--held-in", options->held_in, "With the voices that thresholds were set on");
    command->callback([options, &status] { status = study_faults(*options); });
}

}  // namespace

void add_commands(CLI::App& app, Status& status) {
    add_corpus(app, status);
    add_train(app, status);
    add_average(app, status);
    add_examples(app, status);
    add_evaluate(app, status);
    add_songs(app, status);
    add_tell(app, status);
    add_listen(app, status);
    add_mask_study(app, status);
    add_seal(app, status);
    add_tradeoff(app, status);
    add_doubt(app, status);
    add_parts_doubt(app, status);
    add_teaching_set(app, status);
    add_teach(app, status);
    add_faults(app, status);
}

}  // namespace rivlen::learn
