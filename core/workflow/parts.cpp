// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/parts.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "core/base/audio_block.h"
#include "core/delivery/adm_reading.h"
#include "core/delivery/scratch_sound.h"
#include "core/delivery/written_sound.h"
#include "core/dsp/decibels.h"
#include "core/media/ixml.h"
#include "core/project/delivery_table.h"
#include "core/space/layout.h"
#include "core/workflow/free_name.h"

namespace rivlen {

namespace {

namespace fs = std::filesystem;

constexpr double kSilentDbfs = -90;
constexpr std::ptrdiff_t kMostInPart = 36;

const AudioStreamInfo* stream_of(const MediaInfo& info, int index) {
    const auto found = std::ranges::find(info.audio, index, &AudioStreamInfo::index);
    return found != info.audio.end() ? &*found : nullptr;
}

// Without a last L or R, where it has one.
struct SidedName {
    std::string name;
    char side = 0;
};
SidedName sided(const std::string& name) {
    if (name.size() < 2) return {name, 0};
    for (const auto& [word, side] : {std::pair<std::string, char>{"Left", 'L'}, {"Right", 'R'}}) {
        if (name == word) return {"", side};
    }
    const char last = name.back();
    if (last != 'L' && last != 'R') return {name, 0};
    std::string rest = name.substr(0, name.size() - 1);
    while (!rest.empty() && (rest.back() == ' ' || rest.back() == '-' || rest.back() == '_')) rest.pop_back();
    return {rest, last};
}

bool is_pair(const ChannelOfFile& a, const ChannelOfFile& b) {
    const auto left = sided(a.name), right = sided(b.name);
    return left.side == 'L' && right.side == 'R' && left.name == right.name;
}

bool silent(const ChannelOfFile& channel) {
    return !channel.peak_dbfs || *channel.peak_dbfs < kSilentDbfs;
}

// Reads the streams that a part needs side by side, each in step with the picture.
class PartReader {
  public:
    static Result<PartReader> open(const fs::path& file, const PartOfFile& part, const JobControl& job) {
        PartReader reader;
        for (const auto& channel : part.channels) {
            if (std::ranges::find(reader.streams_, channel.stream, &Stream::index) != reader.streams_.end())
                continue;
            auto decoder = AudioDecoder::open(file, channel.stream, job.cancel);
            if (!decoder) return decoder.error();
            const auto& info = decoder->info();
            if (reader.rate_ != 0 && info.sample_rate != reader.rate_)
                return make_error(
                    ErrorKind::BadInput,
                    "Channels of {} and {} Hz cannot be one recording. Make parts of one rate each.",
                    reader.rate_, info.sample_rate);
            reader.rate_ = info.sample_rate;
            reader.streams_.push_back(
                {channel.stream, std::move(*decoder),
                 AudioBlock(info.sample_rate, static_cast<std::size_t>(info.channels))});
        }
        return reader;
    }
    [[nodiscard]] int rate() const { return rate_; }
    // The next frames of the part; empty at the end, which is that of the longest stream.
    Result<AudioBlock> next(const PartOfFile& part) {
        for (auto& stream : streams_) {
            if (auto status = stream.fill(); !status) return status.error();
        }
        std::size_t frames = 0;
        bool all_ended = true;
        for (const auto& stream : streams_) {
            if (stream.ended) continue;
            frames = all_ended ? stream.waiting.frames() : std::min(frames, stream.waiting.frames());
            all_ended = false;
        }
        if (all_ended) {
            for (const auto& stream : streams_) frames = std::max(frames, stream.waiting.frames());
        }
        AudioBlock out(rate_, part.channels.size(), frames);
        for (std::size_t c = 0; c < part.channels.size(); ++c) {
            const auto& stream = *std::ranges::find(streams_, part.channels[c].stream, &Stream::index);
            const auto from = stream.waiting[static_cast<std::size_t>(part.channels[c].channel)];
            std::copy_n(from.begin(), std::min(frames, from.size()), out[c].begin());
        }
        for (auto& stream : streams_) stream.waiting.drop_front(std::min(frames, stream.waiting.frames()));
        return out;
    }

  private:
    struct Stream {
        int index = 0;
        AudioDecoder decoder;
        AudioBlock waiting;
        bool begun = false, ended = false;
        std::int64_t skip = 0;  // frames before the picture

        Status fill() {
            constexpr std::size_t kEnough = 4096;
            while (!ended && waiting.frames() < kEnough) {
                auto block = decoder.read();
                if (!block) return block.error();
                if (!begun) {  // where it begins is known now
                    begun = true;
                    const auto late =
                        std::llround(decoder.start_after_picture_seconds() * decoder.info().sample_rate);
                    if (late > 0) waiting.resize(static_cast<std::size_t>(late));
                    skip = std::max<std::int64_t>(0, -late);
                }
                ended = block->empty();
                const auto channels = waiting.channels();
                const auto drop =
                    std::min<std::size_t>(static_cast<std::size_t>(skip), block->size() / channels);
                skip -= static_cast<std::int64_t>(drop);
                waiting.append_interleaved(std::span<const float>(*block).subspan(drop * channels));
            }
            return {};
        }
    };
    std::vector<Stream> streams_;
    int rate_ = 0;
};

SoundDescription description_of(const MediaInfo& info, const std::optional<IxmlFacts>& ixml,
                                const PartOfFile& part, int rate) {
    SoundDescription out;
    out.description = part.name;
    const FrameRate frame_rate = ixml && ixml->timecode_rate ? *ixml->timecode_rate
                                 : info.picture && info.picture->frame_rate_num > 0
                                     ? FrameRate{info.picture->frame_rate_num, info.picture->frame_rate_den}
                                     : FrameRate{};
    const std::int64_t start = start_timecode_frame(info, frame_rate);
    double seconds = static_cast<double>(start) / frame_rate.per_second();
    if (info.time_reference_seconds && !info.picture) seconds = *info.time_reference_seconds;
    out.time_reference_frames = static_cast<std::uint64_t>(std::max(0LL, std::llround(seconds * rate)));
    out.timecode_rate = fmt::format("{}/{}", frame_rate.num, frame_rate.den);
    out.drop_frame = ixml && ixml->drop_frame && frame_rate.may_drop();
    out.start_timecode = format_timecode(start, frame_rate, out.drop_frame);
    for (const auto& channel : part.channels)
        out.track_names.push_back(channel.name.empty() ? part.name : channel.name);
    return out;
}

}  // namespace

Result<FileChannels> channels_of_file(const fs::path& file, double seconds, const JobControl& job) {
    auto info = probe(file, job.cancel);
    if (!info) return info.error();
    FileChannels out{std::move(*info), {}};
    const auto ixml = ixml_facts(file);
    const auto model = read_adm(file);
    std::size_t done = 0;
    for (const auto& stream : out.info.audio) {
        auto decoder = AudioDecoder::open(file, stream.index, job.cancel);
        if (!decoder) return decoder.error();
        const auto channels = static_cast<std::size_t>(decoder->info().channels);
        std::vector<float> peaks(channels);
        std::vector<double> peak_seconds(channels);
        const auto wanted = static_cast<std::size_t>(seconds * decoder->info().sample_rate);
        for (std::size_t heard = 0; heard < wanted;) {
            auto block = decoder->read();
            if (!block) return block.error();
            if (block->empty()) break;
            for (std::size_t i = 0; i < block->size(); ++i) {
                if (std::abs((*block)[i]) <= peaks[i % channels]) continue;
                peaks[i % channels] = std::abs((*block)[i]);
                peak_seconds[i % channels] =
                    static_cast<double>(heard + i / channels) / decoder->info().sample_rate;
            }
            heard += block->size() / channels;
        }
        for (std::size_t c = 0; c < channels; ++c) {
            ChannelOfFile channel{stream.index, static_cast<int>(c), {}, {}, {}, peak_seconds[c]};
            if (model && out.info.audio.size() == 1 && c < model->tracks.size()) {
                channel.name = model->tracks[c].name;
                channel.object = model->tracks[c].object;
            }
            if (ixml && out.info.audio.size() == 1 && c < ixml->track_names.size() && channel.name.empty())
                channel.name = ixml->track_names[c];
            if (channel.name.empty() && channels == 1) channel.name = stream.title;
            if (peaks[c] > 0) channel.peak_dbfs = db_of_amplitude(static_cast<double>(peaks[c]));
            out.channels.push_back(std::move(channel));
        }
        job.report(static_cast<double>(++done) / static_cast<double>(out.info.audio.size()));
    }
    return out;
}

std::string part_name(const std::vector<ChannelOfFile>& channels, std::size_t number) {
    if (channels.size() > 1 && !channels[0].object.empty()) return channels[0].object;
    if (channels.size() == 2 && is_pair(channels[0], channels[1]) && !sided(channels[0].name).name.empty())
        return sided(channels[0].name).name;
    const bool pair = channels.size() == 2 && is_pair(channels[0], channels[1]);
    return channels.empty() || channels[0].name.empty() || pair ? fmt::format("part {}", number)
                                                                : channels[0].name;
}

fs::path parts_folder(const fs::path& session, const fs::path& work_folder) {
    if (session.empty()) return work_folder / "parts";
    return session.parent_path() / (session.stem().string() + " parts");
}

Result<AudioBlock> excerpt_of_channel(const fs::path& file, const ChannelOfFile& channel, double seconds,
                                      const JobControl& job) {
    auto decoder = AudioDecoder::open(file, channel.stream, job.cancel);
    if (!decoder) return decoder.error();
    const int rate = decoder->info().sample_rate;
    const auto channels = static_cast<std::size_t>(decoder->info().channels);
    const auto begin = static_cast<std::size_t>(std::max(0.0, channel.peak_seconds - seconds / 2) * rate);
    const auto wanted = static_cast<std::size_t>(seconds * rate);
    std::vector<float> sound;
    for (std::size_t at = 0; sound.size() < wanted;) {
        const auto block = decoder->read();
        if (!block) return block.error();
        if (block->empty()) break;
        const std::size_t frames = block->size() / channels;
        for (std::size_t i = begin - std::min(begin, at); i < frames && sound.size() < wanted; ++i)
            sound.push_back((*block)[i * channels + static_cast<std::size_t>(channel.channel)]);
        at += frames;
    }
    std::vector<std::vector<float>> channel_alone;
    channel_alone.push_back(std::move(sound));
    return AudioBlock(rate, std::move(channel_alone));
}

namespace {
// Their last words are the marks of a layout's channels, in its order.
bool named_as(Layout layout, std::span<const ChannelOfFile> channels) {
    for (std::size_t c = 0; c < channels.size(); ++c) {
        const std::string& name = channels[c].name;
        if (name.substr(name.find_last_of(' ') + 1) != channel_mark(layout, c)) return false;
    }
    return true;
}
}  // namespace

std::vector<PartOfFile> likely_parts(const FileChannels& file, bool silent_too) {
    std::vector<PartOfFile> out;
    const auto add = [&](std::vector<ChannelOfFile> channels) {
        if (!silent_too && std::ranges::all_of(channels, silent)) return;
        const std::string name = part_name(channels, out.size() + 1);
        out.push_back({name, std::move(channels)});
    };
    for (std::size_t at = 0; at < file.channels.size();) {
        const auto first = file.channels.begin() + static_cast<std::ptrdiff_t>(at);
        const AudioStreamInfo* stream = stream_of(file.info, first->stream);
        const auto count = static_cast<std::size_t>(stream != nullptr ? stream->channels : 1);
        const auto last = first + static_cast<std::ptrdiff_t>(count);
        const auto layout = likely_layout(count);
        const bool named = std::any_of(first, last, [](const ChannelOfFile& c) { return !c.name.empty(); });
        const bool bed = layout && ambisonic_order(*layout) == 0 && count > 1;
        if (bed && (!named || named_as(*layout, std::span(first, last)))) {
            add({first, last});
        } else {
            for (auto channel = first; channel != last;) {
                const auto other = std::find_if(
                    channel, last, [&](const ChannelOfFile& c) { return c.object != channel->object; });
                if (!channel->object.empty() && other - channel <= kMostInPart) {
                    add({channel, other});
                    channel = other;
                    continue;
                }
                const bool pair = channel + 1 != last && is_pair(*channel, *(channel + 1));
                const auto next = channel + (pair ? 2 : 1);
                add({channel, next});
                channel = next;
            }
        }
        at += count;
    }
    return out;
}

bool holds_several_parts(const fs::path& file, const JobControl& job) {
    const auto channels = channels_of_file(file, 0, job);
    return channels.ok() && likely_parts(*channels, true).size() > 1;
}

Result<std::vector<fs::path>> write_parts(const fs::path& file, const std::vector<PartOfFile>& parts,
                                          const fs::path& folder, const fs::path& work_folder,
                                          const JobControl& job) {
    const auto info = probe(file, job.cancel);
    if (!info) return info.error();
    const auto ixml = ixml_facts(file);
    std::error_code error;
    fs::create_directories(folder, error);
    fs::create_directories(work_folder, error);
    std::vector<fs::path> written;
    const auto give_up = [&](const Error& why) -> Result<std::vector<fs::path>> {
        for (const auto& path : written) fs::remove(path, error);
        return why;
    };
    for (const auto& part : parts) {
        auto reader = PartReader::open(file, part, job);
        if (!reader) return give_up(reader.error());
        auto sound =
            ScratchSound::create(work_folder, reader->rate(), static_cast<int>(part.channels.size()));
        if (!sound) return give_up(sound.error());
        for (;;) {
            if (job.cancelled()) return give_up(JobControl::cancelled_error());
            const auto block = reader->next(part);
            if (!block) return give_up(block.error());
            if (block->empty()) break;
            if (const Status status = sound->append(*block); !status) return give_up(status.error());
        }
        const fs::path target =
            free_name(folder, fmt::format("{} - {}", file.stem().string(), file_part(part.name)));
        const Status status =
            write_sound(*sound, Container::Wav, Depth::Float32,
                        description_of(*info, ixml, part, reader->rate()), target, false, job);
        if (!status) return give_up(status.error());
        written.push_back(target);
        job.report(static_cast<double>(written.size()) / static_cast<double>(parts.size()));
    }
    return written;
}

}  // namespace rivlen
