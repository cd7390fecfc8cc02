// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/learn/made_corpus.h"

#include <cmath>
#include <fstream>
#include <nlohmann/json.hpp>
#include <numbers>

#include "core/base/output_file.h"
#include "core/base/rng.h"

namespace rivlen::test {

namespace {

using nlohmann::json;
using rivlen::Rng;

constexpr double kTwoPi = 2.0 * std::numbers::pi;
constexpr std::size_t kMadeRate = learn::kCorpusRate;

std::vector<float> voice(double pitch_hz, std::size_t frames, Rng& rng) {
    std::vector<float> out(frames);
    for (std::size_t i = 0; i < frames; ++i) {
        const double t = static_cast<double>(i) / kMadeRate;
        const double syllable = std::pow(std::max(0.0, std::sin(kTwoPi * 2.1 * t)), 2.0);
        double x = 0.0;
        for (int h = 1; h < 20; ++h) x += std::sin(kTwoPi * pitch_hz * h * t) / h;
        const double hiss = std::max(0.0, std::sin(kTwoPi * 2.1 * t + 2.2));
        out[i] = static_cast<float>(0.1 * syllable * x) +
                 static_cast<float>(0.02 * std::pow(hiss, 8.0)) * rng.noise();
    }
    return out;
}

std::vector<float> chords(double root_hz, std::size_t frames) {
    std::vector<float> out(frames * 2);
    for (std::size_t i = 0; i < frames; ++i) {
        const double t = static_cast<double>(i) / kMadeRate;
        const double root = root_hz * (static_cast<int>(t) % 2 == 0 ? 1.0 : 1.335);
        const double left = std::sin(kTwoPi * root * t) + 0.5 * std::sin(kTwoPi * root * 2.0 * t);
        const double right = std::sin(kTwoPi * root * 1.26 * t) + 0.3 * std::sin(kTwoPi * root * 3.0 * t);
        out[2 * i] = static_cast<float>(0.15 * left);
        out[2 * i + 1] = static_cast<float>(0.15 * right);
    }
    return out;
}

std::vector<float> bursts(double seconds_between, std::size_t frames, Rng& rng) {
    std::vector<float> out(frames);
    const auto between = static_cast<std::size_t>(seconds_between * kMadeRate);
    for (std::size_t i = 0; i < frames; ++i) {
        const double since = static_cast<double>(i % between) / kMadeRate;
        out[i] = static_cast<float>(0.2 * std::exp(-18.0 * since)) * rng.noise();
    }
    return out;
}

class Package {
  public:
    Package(const Scratch& scratch, std::string name) : scratch_(scratch), name_(std::move(name)) {}
    void add(const char* kind, const std::string& group, const std::string& pool, int channels,
             const std::vector<float>& sound) {
        const json measures = {{"bandwidth_hz", 20000}, {"level_db", -22}, {"level_range_db", 45},
                               {"noise_floor_db", -70}, {"dc", 0},         {"clipped_share", 0}};
        index_.push_back({{"package", name_},
                          {"path", group + std::to_string(index_.size())},
                          {"group", group},
                          {"kind", kind},
                          {"pool", pool},
                          {"hash", std::hash<std::string>{}(name_ + group + std::to_string(index_.size()))},
                          {"offset_samples", pcm_.size()},
                          {"frames", sound.size() / static_cast<std::size_t>(channels)},
                          {"channels", channels},
                          {"measures", measures}});
        for (const float x : sound) pcm_.push_back(static_cast<std::int16_t>(std::lround(x * 32767.0F)));
    }
    void write() const {
        std::filesystem::create_directories(scratch_ / "corpus/index");
        std::filesystem::create_directories(scratch_ / "corpus/pcm");
        expect_ok(write_text_file(scratch_ / ("corpus/index/" + name_ + ".json"), index_.dump()));
        std::ofstream out(scratch_ / ("corpus/pcm/" + name_ + ".s16"), std::ios::binary);
        out.write(reinterpret_cast<const char*>(pcm_.data()),
                  static_cast<std::streamsize>(pcm_.size() * sizeof(std::int16_t)));
    }

  private:
    static void expect_ok(const Status& status) {
        if (!status) throw std::runtime_error(status.error().message);
    }
    const Scratch& scratch_;
    std::string name_;
    json index_ = json::array();
    std::vector<std::int16_t> pcm_;
};

}  // namespace

learn::Corpus made_corpus(const Scratch& scratch) {
    Rng rng(77);
    Package speech(scratch, "made-speech");
    for (const auto& [group, pitch_hz, pool] :
         {std::tuple{"low", 120.0, "learn"}, std::tuple{"middle", 160.0, "learn"},
          std::tuple{"high", 210.0, "choose"}, std::tuple{"higher", 250.0, "tell"}}) {
        for (int i = 0; i < 2; ++i) speech.add("speech", group, pool, 1, voice(pitch_hz, 3 * kMadeRate, rng));
    }
    speech.write();
    Package music(scratch, "made-music");
    music.add("music", "minor", "learn", 2, chords(220.0, 6 * kMadeRate));
    music.add("music", "major", "learn", 2, chords(330.0, 6 * kMadeRate));
    music.add("music", "other", "choose", 2, chords(275.0, 6 * kMadeRate));
    music.add("music", "another", "tell", 2, chords(247.0, 6 * kMadeRate));
    music.write();
    Package effects(scratch, "made-effects");
    effects.add("effects", "steps", "learn", 1, bursts(0.6, 3 * kMadeRate, rng));
    effects.add("effects", "rattle", "learn", 1, bursts(0.09, 3 * kMadeRate, rng));
    effects.add("effects", "knocks", "choose", 1, bursts(0.35, 3 * kMadeRate, rng));
    effects.add("effects", "taps", "tell", 1, bursts(0.25, 3 * kMadeRate, rng));
    effects.write();
    auto corpus = learn::Corpus::open(scratch / "corpus");
    if (!corpus) throw std::runtime_error(corpus.error().message);
    return std::move(*corpus);
}

double decay_time_s(std::span<const float> response, int sample_rate) {
    std::vector<double> left(response.size());
    double sum = 0.0;
    for (std::size_t i = response.size(); i-- > 0;)
        left[i] = sum += static_cast<double>(response[i]) * static_cast<double>(response[i]);
    const auto when = [&](double db) {
        const double limit = left[0] * std::pow(10.0, db / 10.0);
        return static_cast<double>(std::ranges::find_if(left, [&](double e) { return e < limit; }) -
                                   left.begin()) /
               sample_rate;
    };
    return 3.0 * (when(-25.0) - when(-5.0));
}

std::string made_score() {
    const auto number = [](std::uint32_t value, int bytes) {
        std::string out;
        for (int i = bytes - 1; i >= 0; --i)
            out.push_back(static_cast<char>(value >> (8U * static_cast<unsigned>(i))));
        return out;
    };
    const auto track = [&](const std::string& body) {
        return "MTrk" + number(static_cast<std::uint32_t>(body.size()), 4) + body;
    };
    using namespace std::string_literals;
    const std::string tempo =
        "\x00\xFF\x51\x03\x07\xA1\x20"s + "\x81\x40\xFF\x51\x03\x0F\x42\x40"s + "\x00\xFF\x2F\x00"s;
    const std::string bass = "\x00\xC0\x21"s + "\x00\xB0\x07\x7F"s + "\x00\xB0\x0A\x00"s +
                             "\x60\x90\x28\x50"s + "\x60\x90\x28\x00"s + "\x60\x90\x28\x50"s +
                             "\x60\x80\x28\x40"s;
    const std::string others = "\x00\x99\x24\x7F"s + "\x60\x26\x40"s + "\x00\x24\x00"s +
                               "\x00\xF0\x02\x01\xF7"s + "\x00\xC3\x34"s + "\x00\x93\x3C\x40"s +
                               "\x81\x40\x83\x3C\x00"s;
    return "MThd" + number(6, 4) + number(1, 2) + number(3, 2) + number(96, 2) + track(tempo) + track(bass) +
           track(others);
}

}  // namespace rivlen::test
