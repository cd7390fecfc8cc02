// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/songs/accompaniment.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <sstream>

#include "core/base/output_file.h"

namespace rivlen::learn {

namespace {

namespace fs = std::filesystem;

constexpr std::array<const char*, 12> kKeys = {"C",  "Db", "D",  "Eb", "E",  "F",
                                               "Gb", "G",  "Ab", "A",  "Bb", "B"};
constexpr std::array<const char*, 12> kNotes = {"c",  "db", "d",  "eb", "e",  "f",
                                                "gb", "g",  "ab", "a",  "bb", "b"};

// A chord of a key: its root above the key's, its name's end, and its tones above the root.
struct Degree {
    int root;
    const char* kind;
    std::array<int, 3> tones;
};
constexpr std::array<int, 3> kMajor = {0, 4, 7}, kMinor = {0, 3, 7};
constexpr std::array<std::array<Degree, 8>, 5> kProgressions = {{
    {{{0, "", kMajor},
      {9, "m", kMinor},
      {5, "", kMajor},
      {7, "7", kMajor},
      {0, "", kMajor},
      {5, "M7", kMajor},
      {2, "m7", kMinor},
      {7, "7", kMajor}}},
    {{{0, "m", kMinor},
      {8, "", kMajor},
      {3, "", kMajor},
      {10, "", kMajor},
      {0, "m", kMinor},
      {5, "m", kMinor},
      {7, "7", kMajor},
      {0, "m", kMinor}}},
    {{{2, "m7", kMinor},
      {7, "7", kMajor},
      {0, "M7", kMajor},
      {9, "m7", kMinor},
      {5, "M7", kMajor},
      {4, "m7", kMinor},
      {9, "7", kMajor},
      {7, "7", kMajor}}},
    {{{0, "7", kMajor},
      {5, "7", kMajor},
      {0, "7", kMajor},
      {0, "7", kMajor},
      {5, "7", kMajor},
      {0, "7", kMajor},
      {7, "7", kMajor},
      {0, "7", kMajor}}},
    {{{0, "m7", kMinor},
      {5, "7", kMajor},
      {0, "m7", kMinor},
      {5, "7", kMajor},
      {10, "", kMajor},
      {5, "", kMajor},
      {0, "m7", kMinor},
      {0, "m7", kMinor}}},
}};

// One bar of the tune, as "4c;8d;8e;": quarters, eighths and halves that fill it.
std::string bar_of_tune(const Degree& chord, int key, int beats, Rng& rng) {
    constexpr double kRest = 0.12, kHalf = 0.25, kEighths = 0.4, kBetween = 0.3;
    const auto note = [&] {
        int tone = chord.root + chord.tones[rng.below(chord.tones.size())];
        if (rng.chance(kBetween)) tone += rng.chance(0.5) ? 2 : -2;
        return kNotes[static_cast<std::size_t>((key + tone + 24) % 12)];
    };
    std::string bar;
    for (int left = beats; left > 0;) {
        if (rng.chance(kRest)) {
            bar += "4r;";
            --left;
        } else if (left >= 2 && rng.chance(kHalf)) {
            bar += fmt::format("2{};", note());
            left -= 2;
        } else if (rng.chance(kEighths)) {
            bar += fmt::format("8{};8{};", note(), note());
            --left;
        } else {
            bar += fmt::format("4{};", note());
            --left;
        }
    }
    return bar;
}

}  // namespace

Result<std::vector<Groove>> grooves_of(const fs::path& folder, std::size_t of_each) {
    std::error_code error;
    std::vector<fs::path> files;
    for (const auto& entry : fs::directory_iterator(folder, error)) {
        const std::string name = entry.path().filename().string();
        if (entry.path().extension() == ".mma" && !name.starts_with("metronome") && name != "none.mma")
            files.push_back(entry.path());
    }
    if (files.empty())
        return make_error(ErrorKind::NotFound, "There are no styles in \"{}\". Install mma.",
                          folder.string());
    std::ranges::sort(files);
    std::vector<Groove> grooves;
    for (const auto& file : files) {
        const auto text = read_text_file(file);
        if (!text) return text.error();
        std::istringstream lines(*text);
        std::size_t taken = 0;
        int beats = 4;
        for (std::string line; taken < of_each && std::getline(lines, line);) {
            std::istringstream words(line);
            std::string word, value;
            words >> word >> value;
            if (word == "Time") std::from_chars(value.data(), value.data() + value.size(), beats);
            if (word != "DefGroove" || value.empty()) continue;
            grooves.push_back({value, std::clamp(beats, 2, 12)});
            ++taken;
        }
    }
    return grooves;
}

std::string chart_of(const Groove& groove, Rng& rng) {
    constexpr double kSeconds = 32;
    const auto key = static_cast<int>(rng.below(12));
    const auto& progression = kProgressions[rng.below(kProgressions.size())];
    const double tempo = std::round(rng.uniform(76, 148));
    const int bars = static_cast<int>(std::ceil(kSeconds * tempo / 60 / groove.beats_a_bar));
    std::string chart =
        fmt::format("Tempo {:.0f}\nGroove {}\nSolo Voice {}\nSolo Octave {}\nSolo Articulate 90\n", tempo,
                    groove.name, rng.chance(0.5) ? "Flute" : "Clarinet", 4 + rng.below(2));
    for (int bar = 0; bar < bars; ++bar) {
        const Degree& chord = progression[static_cast<std::size_t>(bar) % progression.size()];
        chart +=
            fmt::format("{} {}{} {{{}}}\n", bar + 1, kKeys[static_cast<std::size_t>((key + chord.root) % 12)],
                        chord.kind, bar_of_tune(chord, key, groove.beats_a_bar, rng));
    }
    return chart;
}

}  // namespace rivlen::learn
