// SPDX-License-Identifier: GPL-3.0-or-later
// The Rebuild view and its engine on a long session: two hours, 12 tracks, 500 clips, all of them stems of a
// split recording, every track with a full chain, one ducked. Counters: "x_real_time", "core_share" (of one
// core while playing), "frames_per_second" (painting the whole window off the screen).
//
//   rivlen-rebuild-bench                     everything but the soak
//   rivlen-rebuild-bench --soak 600          plays for 600 s into the simulated output while a split runs;
//   counts
//                                            drop-outs
#include <benchmark/benchmark.h>
#include <unistd.h>

#include <QApplication>
#include <QElapsedTimer>
#include <QPixmap>
#include <array>
#include <cstring>
#include <ctime>
#include <fstream>
#include <string>

#include "app/shell/main_window.h"
#include "app/widgets/theme.h"
#include "core/base/thread_priority.h"
#include "core/mix/engine.h"
#include "core/play/simulated_output.h"
#include "core/project/editing.h"
#include "core/separation/split.h"
#include "core/space/space_monitor.h"
#include "tests/support/fixtures.h"

namespace {

using namespace rivlen;
namespace fs = std::filesystem;

constexpr int kRate = 48000;
constexpr int kTracks = 12;
constexpr int kClips = 500;
constexpr std::int64_t kTwoHours = std::int64_t{2} * 3600 * kRate;

double cpu_seconds() {
    timespec now{};
    clock_gettime(CLOCK_PROCESS_CPUTIME_ID, &now);
    return static_cast<double>(now.tv_sec) + 1e-9 * static_cast<double>(now.tv_nsec);
}

// Made once: a recording with a map, and a session file that refers to it.
struct LongSession {
    test::Scratch scratch;
    fs::path recording = scratch / "long.wav";
    fs::path file = scratch / "long.rivlen";
    Session session;
    MixMediaSet media;

    LongSession() {
        const auto noise = test::noise(180 * kRate, 3);
        test::write_wav(recording, {noise, noise}, kRate);
        auto source = Source::bring_in(recording, scratch / "work");
        auto map = test::random_map(scratch, *source);
        // Where the window looks for it.
        if (const auto model = model_identity(find_model(kQuickModel))) {
            fs::create_directories(scratch / "window");
            fs::copy_file(scratch / "random.map",
                          map_path(*source, *model, ChannelGrouping::Pairs, scratch / "window"));
        }
        const auto shared = std::make_shared<const Source>(std::move(*source));
        media[recording] = {shared, std::make_shared<const MaskMap>(std::move(map)), kRate};
        session.items.push_back({recording, shared->hash(), {}, {}, true});
        session.current = 0;
        Timeline& r = session.timeline;
        r.sample_rate = kRate;
        for (int t = 0; t < kTracks; ++t) {
            Track& track = *r.track(add_track(r, "Track " + std::to_string(t + 1)));
            for (const EffectType kind : {EffectType::HighPass, EffectType::Gate, EffectType::Equaliser,
                                          EffectType::DeEsser, EffectType::Compressor, EffectType::Limiter})
                track.strip.chain.push_back(make_part(kind, r.new_id()));
            track.strip.chain[2][parameter::eq_gain_db(1)] = -3;  // so that it is at work
        }
        const std::int64_t length = kTwoHours * kTracks / kClips;  // the tracks are full
        for (int i = 0; i < kClips; ++i) {
            const auto t = static_cast<std::size_t>(i % kTracks);
            Placement placement;
            placement.path = recording;
            placement.at = i / kTracks * length;
            placement.length = length;
            const int id = place_clip(r, placement, clip_source_of_sound(t % kStems), r.tracks[t].id);
            r.clip(id)->offset = kRate / 2;
        }
        r.tracks[2].ducking.on = true;
        r.tracks[2].ducking.key_tracks = {r.tracks[0].id};
        if (!save_session(session, file)) std::abort();
    }
};

LongSession& long_session() {
    static LongSession made;
    return made;
}

void open_long_session(benchmark::State& state) {
    auto& s = long_session();
    for (auto _ : state) {
        app::MainWindow window(s.scratch / "window");
        window.open_path(s.file);
        window.show_view(app::View::Rebuild);
        window.show();
        const QPixmap seen = window.grab();  // up, with everything painted that is there already
        benchmark::DoNotOptimize(seen.width());
        state.PauseTiming();
        window.jobs().cancel_all();
        state.ResumeTiming();
    }
}
BENCHMARK(open_long_session)->Unit(benchmark::kMillisecond)->Iterations(3)->UseRealTime();

// zoom: seconds on the screen. The view moves a little for every frame, so that everything is painted anew.
void scroll(benchmark::State& state) {
    auto& s = long_session();
    app::MainWindow window(s.scratch / "window");
    window.resize(1280, 800);
    window.open_path(s.file);
    window.show_view(app::View::Rebuild);
    window.show();
    auto& view = window.rebuild_view().time_view();
    auto& canvas = window.rebuild_view().canvas();
    QElapsedTimer timer;
    timer.start();
    view.show(600, static_cast<double>(state.range(0)));
    view.settle();
    do {  // until the tiles of this stretch are there
        QApplication::processEvents(QEventLoop::AllEvents, 50);
        canvas.grab();
    } while (!canvas.complete() && timer.elapsed() < 60000);
    double at = 600;
    const double step = static_cast<double>(state.range(0)) / 2000;
    for (auto _ : state) {
        at += step;
        view.show(at, static_cast<double>(state.range(0)));
        view.settle();
        const QPixmap seen = canvas.grab();
        benchmark::DoNotOptimize(seen.width());
    }
    state.counters["frames_per_second"] =
        benchmark::Counter(static_cast<double>(state.iterations()), benchmark::Counter::kIsRate);
    window.jobs().cancel_all();
}
BENCHMARK(scroll)
    ->ArgName("seconds_shown")
    ->Arg(10)
    ->Arg(600)
    ->Arg(7200)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime()
    ->Iterations(60);

void mix_twelve_tracks(benchmark::State& state) {
    auto& s = long_session();
    MixEngine engine(std::make_shared<const MixPlan>(s.session, s.media));
    engine.seek(std::int64_t{60} * kRate);
    std::array<std::vector<float>, 2> block = {std::vector<float>(kRate), std::vector<float>(kRate)};
    engine.next({block[0], block[1]});
    for (auto _ : state) engine.next({block[0], block[1]});
    state.counters["x_real_time"] =
        benchmark::Counter(static_cast<double>(state.iterations()), benchmark::Counter::kIsRate);
}
BENCHMARK(mix_twelve_tracks)->Unit(benchmark::kMillisecond)->Iterations(20);

// 24 mono tracks that move around the listener, an equaliser and a compressor each, into 7.1.4, heard on
// headphones.
void mix_24_tracks_in_714(benchmark::State& state) {
    auto& s = long_session();
    Session session;
    Timeline& r = session.timeline;
    r.sample_rate = kRate;
    for (int t = 0; t < 24; ++t) {
        Track& track = *r.track(add_track(r, "Track " + std::to_string(t + 1)));
        track.layout = Layout::Mono;
        for (const EffectType kind : {EffectType::Equaliser, EffectType::Compressor})
            track.strip.chain.push_back(make_part(kind, r.new_id()));
        track.strip.chain[0][parameter::eq_gain_db(1)] = -3;
        set_points(track.strip, {LaneTarget::Azimuth, 0, 0, {}},
                   {{0, -180.0 + 15 * t}, {std::int64_t{180} * kRate, 180.0 + 15 * t - 180}});
        Placement placement;
        placement.path = s.recording;
        placement.length = std::int64_t{170} * kRate;
        place_clip(r, placement, ClipSource::Whole, track.id);
    }
    set_layout(r, r.main_bus(), Layout::Surround714);
    MixEngine engine(std::make_shared<const MixPlan>(session, s.media));
    const auto head = HeadResponses::open(HeadResponses::standard_set(), kRate);
    if (!head) return state.SkipWithError("no head responses");
    auto monitor = SpaceMonitor::headphones(Layout::Surround714, *head);
    AudioBlock mix(kRate, 12, SpaceMonitor::kFrames), heard(kRate, 2, SpaceMonitor::kFrames);
    constexpr int kBlocks = kRate / static_cast<int>(SpaceMonitor::kFrames);
    for (auto _ : state) {
        for (int b = 0; b < kBlocks; ++b) {
            engine.next(mix.view());
            monitor.process(mix.view(), heard.view());
        }
    }
    state.counters["x_real_time"] =
        benchmark::Counter(static_cast<double>(state.iterations()), benchmark::Counter::kIsRate);
}
BENCHMARK(mix_24_tracks_in_714)->Unit(benchmark::kMillisecond)->Iterations(10);

void play_twelve_tracks(benchmark::State& state) {
    auto& s = long_session();
    MixPlayer player;
    player.set_plan(std::make_shared<const MixPlan>(s.session, s.media));
    SimulatedOutput output(player, SimulatedOutput::Pace::Clock, false);
    player.locate(std::int64_t{60} * kRate);
    player.play();
    std::this_thread::sleep_for(std::chrono::seconds(1));
    const std::uint64_t before = player.drop_outs();
    for (auto _ : state) {
        const double begun = cpu_seconds();
        std::this_thread::sleep_for(std::chrono::seconds(10));
        state.counters["core_share"] = (cpu_seconds() - begun) / 10;
    }
    state.counters["drop_outs"] = static_cast<double>(player.drop_outs() - before);
}
BENCHMARK(play_twelve_tracks)->Iterations(1)->UseRealTime()->Unit(benchmark::kSecond);

// Time that the machine below this one kept its processors from us, in milliseconds (proc(5), steal); 0 where
// it is not told.
long stolen_ms() {
    std::ifstream stat("/proc/stat");
    std::string cpu;
    std::array<long, 8> ticks{};
    stat >> cpu;
    for (long& t : ticks) stat >> t;
    return stat ? ticks[7] * 1000 / ::sysconf(_SC_CLK_TCK) : 0;
}

int soak(int seconds) {
    auto& s = long_session();
    MixPlayer player;
    player.set_plan(std::make_shared<const MixPlan>(s.session, s.media));
    SimulatedOutput output(player, SimulatedOutput::Pace::Clock, false);
    player.play();
    std::jthread splitting([&](const std::stop_token& stop) {
        give_way();  // as jobs of the window do
        const auto separator = load_separator();
        const auto source = Source::open(s.media.begin()->second.source->sound_file());
        while (separator && source && !stop.stop_requested()) {
            SplitOptions options;
            options.workers = 2;
            if (!split(*source, **separator, s.scratch / "soak.map", options, {})) break;
        }
    });
    std::uint64_t before = 0;
    long stolen = stolen_ms();
    const long stolen_at_first = stolen;
    for (int i = 0; i < seconds && player.playing(); ++i) {
        std::this_thread::sleep_for(std::chrono::seconds(1));
        const long now = stolen_ms();
        if (player.drop_outs() != before)
            std::printf("  %llu in second %d, of which the machine below took %ld ms from both cores\n",
                        static_cast<unsigned long long>(player.drop_outs() - before), i, now - stolen);
        stolen = now;
        before = player.drop_outs();
    }
    std::printf(
        "%d s played while a split ran, %llu drop-outs, %.1f %% of both cores taken by the machine below\n",
        seconds, static_cast<unsigned long long>(player.drop_outs()),
        static_cast<double>(stolen_ms() - stolen_at_first) / (20.0 * std::max(1, seconds)));
    return player.drop_outs() == 0 ? 0 : 1;
}

}  // namespace

int main(int argc, char** argv) {
    qputenv("QT_QPA_PLATFORM", "offscreen");
    qputenv("RIVLEN_OUTPUT", "simulated");
    QApplication application(argc, argv);
    app::apply_theme(application);
    if (argc == 3 && std::strcmp(argv[1], "--soak") == 0) return soak(std::atoi(argv[2]));
    benchmark::Initialize(&argc, argv);
    benchmark::RunSpecifiedBenchmarks();
    return 0;
}
