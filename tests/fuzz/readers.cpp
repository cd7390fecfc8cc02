// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/fuzz/readers.h"

#include <unistd.h>

#include <array>
#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <limits>
#include <string>
#include <string_view>

#include "core/base/safetensors.h"
#include "core/delivery/adm_reading.h"
#include "core/media/ixml.h"
#include "core/media/source.h"
#include "core/media/timecode.h"
#include "core/mix/engine.h"
#include "core/project/chain_preset.h"
#include "core/project/delivery_table.h"
#include "core/project/session.h"
#include "core/project/settings_json.h"
#include "core/project/timeline_json.h"
#include "core/separation/mask_map.h"
#include "core/separation/other_sound.h"
#include "core/workflow/session_media.h"
#include "tests/support/fixtures.h"

namespace rivlen::fuzz {

namespace {

namespace fs = std::filesystem;

// One file a process, written again for every input.
class InputFile {
  public:
    InputFile() : folder_(fs::temp_directory_path() / ("rivlen-fuzz-" + std::to_string(::getpid()))) {
        fs::create_directories(folder_);
    }
    ~InputFile() {
        std::error_code ignored;
        fs::remove_all(folder_, ignored);
    }
    InputFile(const InputFile&) = delete;
    InputFile& operator=(const InputFile&) = delete;
    fs::path with(std::span<const std::byte> bytes, const char* name = "input") {
        const fs::path path = folder_ / name;
        std::ofstream(path, std::ios::binary)
            .write(reinterpret_cast<const char*>(bytes.data()), static_cast<std::streamsize>(bytes.size()));
        return path;
    }
    [[nodiscard]] fs::path work() const { return folder_ / "work"; }

  private:
    fs::path folder_;
};

void require(bool holds) {
    if (!holds) std::abort();
}

std::string text_of(std::span<const std::byte> bytes) {
    return {reinterpret_cast<const char*>(bytes.data()), bytes.size()};
}

bool read_media(InputFile& file, std::span<const std::byte> bytes) {
    const auto path = file.with(bytes);
    const auto info = probe(path);
    auto source = Source::bring_in(path, file.work());
    std::error_code ignored;
    fs::remove_all(file.work(), ignored);
    if (!source) {
        require(!source.error().message.empty());
        return false;
    }
    require(info.ok() && source->frames() > 0 && source->channels() > 0);
    for (const float x : source->samples()) require(std::isfinite(x));
    return true;
}

bool read_session(std::span<const std::byte> bytes) {
    const auto session = session_from_json(text_of(bytes), "/");
    if (!session) return false;
    // What was taken once must come back equal.
    const auto again = session_from_json(session_to_json(*session), "/");
    require(again.ok() && *again == *session);
    return true;
}

bool read_map(InputFile& file, std::span<const std::byte> bytes) {
    const auto map = MaskMap::open(file.with(bytes), "");
    if (!map) return false;
    std::array<float, kMaskRow> masks{};
    for (const double at : {-1.0, 0.0, 0.5, static_cast<double>(map->facts().frames) + 1.0}) {
        map->read(at, masks);
        for (const float m : masks) require(m >= 0.0F && m <= 1.0F);
    }
    return true;
}

bool read_timecode(std::span<const std::byte> bytes) {
    const std::string_view text(reinterpret_cast<const char*>(bytes.data()), bytes.size());
    bool taken = false;
    for (const FrameRate rate : {FrameRate{25, 1}, FrameRate{30000, 1001}, FrameRate{24000, 1001}}) {
        const auto frame = parse_timecode(text, rate);
        if (!frame) continue;
        taken = true;
        const bool drop = text.find(';') != std::string_view::npos;
        require(parse_timecode(format_timecode(*frame, rate, drop), rate) == frame);
    }
    return taken;
}

bool read_tensors(InputFile& file, std::span<const std::byte> bytes) {
    const auto tensors = safetensors::File::open(file.with(bytes));
    if (!tensors) return false;
    // Every byte that a tensor claims can be read.
    std::size_t sum = 0;
    for (const auto& tensor : tensors->tensors()) {
        for (const std::byte b : tensor.bytes) sum += static_cast<std::size_t>(b);
    }
    return sum < std::numeric_limits<std::size_t>::max();
}

bool read_table(std::span<const std::byte> bytes) {
    const auto table = template_from_json(text_of(bytes), "");
    if (!table) return false;
    const auto again = template_from_json(template_to_json(*table), "");
    require(again.ok() && *again == *table);
    return true;
}

// Whatever a chain holds is finite, and read once more the same.
bool read_chain(InputFile& file, std::span<const std::byte> bytes) {
    const auto preset = load_chain_preset(file.with(bytes));
    if (!preset) return false;
    for (const auto& part : preset->parts) {
        for (const double value : part.values) require(std::isfinite(value));
    }
    require(chain_from_json(chain_to_json(preset->parts)) == preset->parts);
    return true;
}

bool read_preset(InputFile& file, std::span<const std::byte> bytes) {
    const auto card = load_preset(file.with(bytes));
    if (!card) return false;
    require(card_from_json(card_to_json(*card)) == *card);
    return true;
}

// Half a second of noise with random masks, that every clip plays.
const MixMedia& something_to_play() {
    static const test::Scratch scratch;
    static const MixMedia media = [] {
        MixMedia made;
        made.source = std::make_shared<const Source>(test::noise_source(scratch, test::kRate, 2, 0.5));
        made.map = std::make_shared<const MaskMap>(test::random_map(scratch, *made.source));
        made.recording_rate = test::kRate;
        return made;
    }();
    return media;
}

// What a session describes is heard: at its beginning, around its end, and after it was undone to nothing.
bool render_session(std::span<const std::byte> bytes) {
    auto session = session_from_json(text_of(bytes), "/");
    if (!session) return false;
    session->timeline.sample_rate = test::kRate;
    MixMediaSet media;
    for (const auto& track : session->timeline.tracks) {
        for (const auto& clip : track.clips) media[clip.path] = something_to_play();
    }
    fit_to_media(session->timeline, media);
    MixEngine engine(std::make_shared<const MixPlan>(*session, media));
    const auto hear = [&](std::int64_t from, int blocks) {
        engine.seek(from);
        AudioBlock sound(test::kRate, channels_of(engine.layout()), 512);
        for (int i = 0; i < blocks; ++i) {
            engine.next(sound.view());
            for (const auto& channel : sound.view()) {
                for (const float x : channel) require(std::isfinite(x));
            }
        }
    };
    hear(0, 8);
    hear(std::max<std::int64_t>(0, session->timeline.end() - 1024), 4);
    session->timeline = {};
    session->timeline.sample_rate = test::kRate;
    engine.set_plan(std::make_shared<const MixPlan>(*session, media));
    hear(0, 1);
    return true;
}

// Half a second of noise is read with the corrections: masks stay masks.
bool correct(InputFile& file, std::span<const std::byte> bytes) {
    const auto corrections = load_corrections(file.with(bytes));
    if (!corrections) return false;
    require(corrections_from_json(corrections_to_json(*corrections)) == *corrections);
    const MixMedia& media = something_to_play();
    if (corrections->size() > 200) return true;
    const auto map = corrected(*media.map, *corrections, *media.source);
    require(map.ok());
    std::array<float, kMaskRow> row;
    for (double at = 0; at < 48; at += 3.3) {
        map->read(at, row);
        for (std::size_t b = 0; b < kBands; ++b) {
            const float sum = row[b] + row[kBands + b] + row[2 * kBands + b] + row[3 * kBands + b];
            require(sum >= 0 && sum <= 1.001F);
        }
    }
    return true;
}

// The list alone: what it lists is not there, which is said once the list was taken.
bool read_other_sound(InputFile& file, std::span<const std::byte> bytes) {
    const auto sound = load_other_sound(file.with(bytes, kOtherSoundList).parent_path());
    require(!sound && !sound.error().message.empty());
    return sound.error().kind == ErrorKind::NotFound;
}

bool read_ixml(std::span<const std::byte> bytes) {
    const auto facts = parse_ixml(text_of(bytes));
    if (!facts) return false;
    require(facts->track_names.size() <= static_cast<std::size_t>(kMaxChannels));
    require(!facts->timecode_rate || facts->timecode_rate->per_second() >= 1);
    return true;
}

// Two bytes: how many of those behind them are chna; the rest is axml.
bool read_definition_model(std::span<const std::byte> bytes) {
    if (bytes.size() < 2) return false;
    const auto wanted = std::to_integer<std::size_t>(bytes[0]) + 256 * std::to_integer<std::size_t>(bytes[1]);
    const auto behind = bytes.subspan(2);
    const std::size_t count = std::min(wanted, behind.size());
    const auto reading = parse_adm(text_of(behind.subspan(count)), text_of(behind.first(count)), "fuzz");
    if (!reading) {
        require(!reading.error().message.empty());
        return false;
    }
    require(reading->tracks.size() <= static_cast<std::size_t>(kMaxChannels));
    AudioBlock file(48000, std::max<std::size_t>(1, reading->tracks.size()), 64), out;
    for (std::size_t c = 0; c < file.channels(); ++c) std::ranges::fill(file[c], 0.5F);
    AdmRenderer(*reading, Layout::Surround514, 48000).render(file, out);
    for (std::size_t c = 0; c < out.channels(); ++c) {
        for (const float x : out[c])
            require(std::isfinite(x) && std::abs(x) <= static_cast<float>(kMaxChannels));
    }
    return true;
}

}  // namespace

bool read(Reader reader, std::span<const std::byte> bytes) {
    static InputFile file;
    switch (reader) {
        case Reader::Media:
            return read_media(file, bytes);
        case Reader::Session:
            return read_session(bytes);
        case Reader::MaskMap:
            return read_map(file, bytes);
        case Reader::Timecode:
            return read_timecode(bytes);
        case Reader::Tensors:
            return read_tensors(file, bytes);
        case Reader::Table:
            return read_table(bytes);
        case Reader::Chain:
            return read_chain(file, bytes);
        case Reader::Preset:
            return read_preset(file, bytes);
        case Reader::Rendering:
            return render_session(bytes);
        case Reader::Corrections:
            return correct(file, bytes);
        case Reader::OtherSound:
            return read_other_sound(file, bytes);
        case Reader::Ixml:
            return read_ixml(bytes);
        case Reader::Adm:
            return read_definition_model(bytes);
    }
    return false;
}

}  // namespace rivlen::fuzz
