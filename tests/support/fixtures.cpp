// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/fixtures.h"

#include <fmt/format.h>
#include <unistd.h>

#include <array>
#include <cstdio>
#include <cstdlib>
#include <random>
#include <stdexcept>

#include "core/base/anonymous_file.h"
#include "core/base/output_file.h"
#include "core/media/coded_file.h"
#include "core/media/sound_file.h"
#include "core/separation/other_sound.h"
#include "core/separation/split.h"

namespace rivlen::test {

namespace fs = std::filesystem;

Scratch::Scratch() {
    // Never a folder that is there: tests that were killed leave theirs, and process numbers come again.
    std::string name = (fs::temp_directory_path() / "rivlen-test-XXXXXX").string();
    if (::mkdtemp(name.data()) == nullptr) throw std::runtime_error("cannot make a folder for a test");
    folder_ = name;
}

Scratch::~Scratch() {
    std::error_code ignored;
    fs::remove_all(folder_, ignored);
}

int Scratch::leftovers() const {
    int count = 0;
    for (const auto& entry : fs::recursive_directory_iterator(folder_)) {
        if (entry.path().filename().string().find(".part") != std::string::npos) ++count;
    }
    return count;
}

std::vector<float> noise(std::size_t frames, unsigned seed) {
    std::mt19937 generator(seed);
    std::vector<float> out(frames);
    for (float& x : out) x = (static_cast<float>(generator() >> 8U) / 8388608.0F - 1.0F) * 0.17F;
    return out;
}

std::filesystem::path demo_picture() {
    return std::filesystem::path(RIVLEN_ROOT) / "demo/tide-mill.mov";
}

std::string output_of(const std::string& command) {
    std::string out;
    std::FILE* pipe = popen(command.c_str(), "r");  // NOLINT
    std::array<char, 4096> part{};
    for (std::size_t count = 0;
         pipe != nullptr && (count = std::fread(part.data(), 1, part.size(), pipe)) > 0;)
        out.append(part.data(), count);
    if (pipe != nullptr) pclose(pipe);
    return out;
}

std::string quoted(const std::filesystem::path& path) {
    return fmt::format("'{}'", path.string());
}

void write_wav(const fs::path& path, const Channels& channels, int sample_rate) {
    auto writer =
        SoundFileWriter::create(path, SoundFormat::WavFloat, sample_rate, static_cast<int>(channels.size()));
    if (!writer || !writer->write(channels) || !writer->commit())
        throw std::runtime_error("cannot write " + path.string());
}

Channels read_wav(const fs::path& path) {
    auto audio = read_audio(path);
    if (!audio) throw std::runtime_error(audio.error().message);
    return audio->take();
}

void make_other_sound(const std::filesystem::path& folder) {
    constexpr std::size_t kClips = 5;
    constexpr std::size_t kClipFrames = 3 * kRate;
    std::filesystem::create_directories(folder);
    for (std::size_t s = 0; s < kSounds; ++s) {
        const Channels sound(2, noise(kClips * kClipFrames, static_cast<unsigned>(40 + s)));
        const CodedSound coded{kRate, 2, static_cast<std::int64_t>(sound[0].size()),
                               [&](std::int64_t at, std::int64_t count, AudioBlock& block) {
                                   block = AudioBlock(kRate, 2);
                                   block.append(sound, static_cast<std::size_t>(at),
                                                static_cast<std::size_t>(count));
                                   return Status{};
                               }};
        const auto file = folder / (std::string(kSoundNames[s]) + ".opus");
        auto out = AnonymousFile::create(folder);
        if (!out || !write_coded(coded, CodedKind::Opus, {}, out->fd(), file) || !out->publish(file, true))
            throw std::runtime_error("cannot make sound for a test");
    }
    for (const char* list : {kOtherSoundList, kOtherSongsList}) {
        const auto written =
            write_text_file(folder / list,
                            R"({"clip_seconds": 3, "clips": [{"bandwidth_hz": 20000}, {"bandwidth_hz": 20000},
            {"bandwidth_hz": 20000}, {"bandwidth_hz": 12000}, {"bandwidth_hz": 20000}]})");
        if (!written) throw std::runtime_error("cannot make sound for a test");
    }
}

Source noise_source(const Scratch& scratch, int sample_rate, int channels, double seconds) {
    Channels sound;
    for (int c = 0; c < channels; ++c)
        sound.push_back(
            noise(static_cast<std::size_t>(seconds * sample_rate), 7U + static_cast<unsigned>(c)));
    const auto path = scratch / fmt::format("noise-{}-{}.wav", sample_rate, channels);
    write_wav(path, sound, sample_rate);
    auto source = Source::bring_in(path, scratch.folder());
    if (!source) throw std::runtime_error(source.error().message);
    return std::move(*source);
}

namespace {

MaskMap written_map(const fs::path& path, const Source& source, std::span<const float> masks) {
    auto writer = MaskMapWriter::create(path, {source.hash(), "made", map_frames(source)});
    if (!writer || !writer->write(0, masks) || !writer->commit())
        throw std::runtime_error("cannot write map");
    auto map = MaskMap::open(path, source.hash());
    if (!map) throw std::runtime_error(map.error().message);
    return std::move(*map);
}

}  // namespace

MaskMap random_map(const Scratch& scratch, const Source& source, unsigned seed) {
    const auto frames = map_frames(source);
    std::mt19937 generator(seed);
    std::vector<float> masks(frames * kMaskRow);
    for (std::size_t t = 0; t < frames; ++t) {
        for (std::size_t b = 0; b < kBands; ++b) {
            std::array<float, kStems> weights{};
            float sum = 0;
            for (float& w : weights) {
                w = static_cast<float>(generator() % 1000 + 1) / 1000.0F;
                w *= w * w;
                sum += w;
            }
            for (std::size_t s = 0; s < kStems; ++s) masks[t * kMaskRow + s * kBands + b] = weights[s] / sum;
        }
    }
    return written_map(scratch / ("random" + std::to_string(seed) + ".map"), source, masks);
}

MaskMap even_map(const Scratch& scratch, const Source& source, std::array<float, kStems> masks) {
    std::vector<float> all;
    for (std::uint64_t t = 0; t < map_frames(source); ++t) {
        for (const float mask : masks) all.insert(all.end(), kBands, mask);
    }
    return written_map(scratch / "even.map", source, all);
}

}  // namespace rivlen::test
