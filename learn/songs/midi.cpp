// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/songs/midi.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <map>
#include <optional>
#include <span>
#include <string>

#include "core/base/output_file.h"

namespace rivlen::learn {

namespace {

constexpr int kChannels = 16, kDrumChannel = 9;

struct Event {
    std::int64_t tick = 0;
    std::uint8_t status = 0, first = 0, second = 0;
    double beat_s = 0;  // of a change of tempo (status 0)
};

// Bytes one after another; past their end everything is zero and `good` is false.
class Bytes {
  public:
    explicit Bytes(std::span<const std::uint8_t> bytes) : left_(bytes) {}
    [[nodiscard]] bool good() const { return good_; }
    [[nodiscard]] bool empty() const { return left_.empty(); }
    std::uint8_t byte() {
        if (left_.empty()) return good_ = false, std::uint8_t{0};
        const std::uint8_t value = left_.front();
        left_ = left_.subspan(1);
        return value;
    }
    [[nodiscard]] std::uint8_t next() const { return left_.empty() ? std::uint8_t{0} : left_.front(); }
    std::uint32_t number(int bytes) {
        std::uint32_t value = 0;
        for (int i = 0; i < bytes; ++i) value = value << 8U | byte();
        return value;
    }
    // Of seven bits a byte, four bytes at most.
    std::uint32_t length() {
        std::uint32_t value = 0;
        for (int i = 0; i < 4; ++i) {
            const std::uint8_t b = byte();
            value = value << 7U | (b & 0x7FU);
            if ((b & 0x80U) == 0) return value;
        }
        good_ = false;
        return 0;
    }
    std::span<const std::uint8_t> take(std::size_t count) {
        if (count > left_.size()) {
            good_ = false;
            count = left_.size();
        }
        const auto taken = left_.first(count);
        left_ = left_.subspan(count);
        return taken;
    }

  private:
    std::span<const std::uint8_t> left_;
    bool good_ = true;
};

void read_meta(Bytes& in, std::int64_t tick, std::vector<Event>& events) {
    constexpr std::uint8_t kTempo = 0x51;
    const std::uint8_t kind = in.byte();
    const auto data = in.take(in.length());
    if (kind != kTempo || data.size() != 3) return;
    Bytes tempo(data);
    events.push_back({tick, 0, 0, 0, std::max(1U, tempo.number(3)) * 1e-6});
}

bool read_track(Bytes in, std::vector<Event>& events) {
    std::int64_t tick = 0;
    std::uint8_t status = 0;
    while (!in.empty() && in.good()) {
        tick += in.length();
        if ((in.next() & 0x80U) != 0) status = in.byte();
        if (status == 0xFF) {
            read_meta(in, tick, events);
        } else if (status >= 0xF0) {
            in.take(in.length());  // of a maker's own
        } else if (status >= 0x80) {
            const auto kind = static_cast<std::uint8_t>(status & 0xF0U);
            Event event{tick, status, in.byte(), 0, 0};
            if (kind != 0xC0 && kind != 0xD0) event.second = in.byte();
            events.push_back(event);
        } else {
            return false;
        }
    }
    return in.good();
}

MusicPart part_of(int channel, int program) {
    if (channel == kDrumChannel) return MusicPart::Drums;
    if (program >= 32 && program < 40) return MusicPart::Bass;
    return program >= 52 && program < 55 ? MusicPart::Voices : MusicPart::Rest;
}

// What the channels are set to, and the lines that they have played.
class Players {
  public:
    void take(const Event& event, double at_s) {
        const int channel = event.status & 0x0F;
        Channel& c = channels_[static_cast<std::size_t>(channel)];
        switch (event.status & 0xF0) {
            case 0x90:
                end(c, event.first, at_s);
                if (event.second > 0) begin(c, channel, event.first, event.second, at_s);
                break;
            case 0x80:
                end(c, event.first, at_s);
                break;
            case 0xB0:
                if (event.first == 7) c.volume = event.second;
                if (event.first == 10) c.pan = event.second;
                break;
            case 0xC0:
                c.program = event.first;
                break;
            default:
                break;
        }
    }
    std::vector<PlayedLine> finish(double at_s) {
        for (auto& channel : channels_) {
            for (int key = 0; key < 128; ++key) end(channel, static_cast<std::uint8_t>(key), at_s);
        }
        std::vector<PlayedLine> lines;
        for (auto& [key, line] : lines_) lines.push_back(std::move(line));
        return lines;
    }

  private:
    struct Sounding {
        PlayedLine* line;
        std::size_t note;
    };
    struct Channel {
        int program = 0, volume = 100, pan = 64;
        std::array<std::optional<Sounding>, 128> sounding;
    };
    void begin(Channel& c, int channel, std::uint8_t key, int velocity, double at_s) {
        PlayedLine& line = lines_[{channel, c.program}];
        if (line.notes.empty()) {
            line.part = part_of(channel, c.program);
            line.program = c.program;
            line.pan = std::clamp((c.pan - 64) / 63.0, -1.0, 1.0);
            // General MIDI: 40 log10(volume / 127) dB.
            line.level_db = 40 * std::log10(std::max(c.volume, 1) / 127.0);
        }
        line.notes.push_back({at_s, 0, key & 0x7F, velocity & 0x7F});
        c.sounding[key & 0x7FU] = Sounding{&line, line.notes.size() - 1};
    }
    static void end(Channel& c, std::uint8_t key, double at_s) {
        auto& sounding = c.sounding[key & 0x7FU];
        if (!sounding) return;
        PlayedNote& note = sounding->line->notes[sounding->note];
        note.seconds = at_s - note.start_s;
        sounding.reset();
    }
    std::array<Channel, kChannels> channels_;
    std::map<std::pair<int, int>, PlayedLine> lines_;  // by channel and program; its places stay
};

}  // namespace

Result<Score> read_midi(const std::filesystem::path& file) {
    const auto text = read_text_file(file);
    if (!text) return text.error();
    const auto damaged = [&] {
        return make_error(ErrorKind::BadInput, "\"{}\" is no MIDI file with ticks a beat, or is damaged.",
                          file.string());
    };
    Bytes in({reinterpret_cast<const std::uint8_t*>(text->data()), text->size()});
    constexpr std::uint32_t kHead = 0x4D546864, kTrack = 0x4D54726B;  // "MThd", "MTrk"
    if (in.number(4) != kHead || in.number(4) != 6 || in.number(2) > 1) return damaged();
    const std::uint32_t tracks = in.number(2), ticks = in.number(2);
    if (ticks == 0 || ticks >= 0x8000) return damaged();
    std::vector<Event> events;
    for (std::uint32_t t = 0; t < tracks; ++t) {
        const std::uint32_t kind = in.number(4);
        const auto body = in.take(in.number(4));
        if (kind == kTrack && !read_track(Bytes(body), events)) return damaged();
    }
    if (!in.good()) return damaged();
    std::ranges::stable_sort(events, {}, &Event::tick);
    Score score;
    Players players;
    double at_s = 0, beat_s = 0.5;
    std::int64_t tick = 0;
    for (const Event& event : events) {
        at_s += static_cast<double>(event.tick - tick) * beat_s / ticks;
        tick = event.tick;
        if (event.status == 0) beat_s = event.beat_s;
        if (event.status != 0) players.take(event, at_s);
    }
    score.seconds = at_s;
    score.beat_s = beat_s;
    score.lines = players.finish(at_s);
    return score;
}

void sing_the_tune(Score& score) {
    constexpr std::size_t kFewestNotes = 8;
    constexpr double kMostTogether = 0.1;  // of the notes
    const PlayedLine* tune = nullptr;
    double highest = 0;
    for (const auto& line : score.lines) {
        if (line.part != MusicPart::Rest || line.notes.size() < kFewestNotes) continue;
        double sum = 0;
        std::size_t together = 0;
        for (std::size_t i = 0; i < line.notes.size(); ++i) {
            sum += line.notes[i].key;
            together += i > 0 && line.notes[i].start_s - line.notes[i - 1].start_s < 0.02 ? 1 : 0;
        }
        const auto count = static_cast<double>(line.notes.size());
        if (static_cast<double>(together) > kMostTogether * count || sum / count <= highest) continue;
        highest = sum / count;
        tune = &line;
    }
    if (tune == nullptr) return;
    for (std::size_t i = 0; i < tune->notes.size(); ++i) {
        const double end_s = i + 1 < tune->notes.size() ? tune->notes[i + 1].start_s
                                                        : tune->notes[i].start_s + tune->notes[i].seconds;
        if (end_s > (score.tune.empty() ? 0 : score.tune.back().end_s))
            score.tune.push_back({end_s, tune->notes[i].key});
    }
    score.lines.erase(score.lines.begin() + (tune - score.lines.data()));
}

Score excerpt(const Score& score, double start_s, double seconds) {
    Score out;
    out.seconds = seconds;
    out.beat_s = score.beat_s;
    for (const auto& line : score.lines) {
        PlayedLine part = line;
        part.notes.clear();
        for (PlayedNote note : line.notes) {
            const double end_s = std::min(note.start_s + note.seconds, start_s + seconds);
            note.start_s = std::max(note.start_s, start_s);
            if (end_s <= note.start_s) continue;
            note.seconds = end_s - note.start_s;
            note.start_s -= start_s;
            part.notes.push_back(note);
        }
        std::ranges::stable_sort(part.notes, {}, &PlayedNote::start_s);
        if (!part.notes.empty()) out.lines.push_back(std::move(part));
    }
    return out;
}

}  // namespace rivlen::learn
