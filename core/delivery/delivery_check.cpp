// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <map>
#include <set>

#include "core/base/output_file.h"
#include "core/delivery/deliver.h"
#include "core/delivery/delivery_rows.h"
#include "core/media/decode.h"

namespace rivlen {

namespace fs = std::filesystem;

namespace {

// Of one row's file. FLAC is about six tenths of its samples (common practice, no source); coded kinds take
// what they are told to (core/media/coded_file.h).
double bytes_of_row(const DeliveryPlan& plan, const HandoverRow& row) {
    const double seconds = seconds_of_row(plan.session, row);
    if (const auto kind = coded_kind(row.container))
        return seconds * bit_rate_of(*kind, static_cast<int>(row.channels())) / 8;
    const int sides = static_cast<int>(row.channels());
    const int channels = row.content == Content::Stems
                             ? static_cast<int>(kStems) * sides
                             : sides + static_cast<int>(object_channels(plan.session, row));
    const int bits = row.container == Container::Picture ? bits_of(Depth::Pcm24) : bits_of(row.depth);
    constexpr double kFlacShare = 0.6;
    const double bytes = seconds * rate_of_row(plan.session, row) * channels * bits / 8;
    return row.container == Container::Flac ? kFlacShare * bytes : bytes;
}

// What keeps placed tracks from standing beside a bed in this row.
void check_objects(const DeliveryPlan& plan, int number, std::vector<Issue>& out) {
    const HandoverRow& row = plan.table.rows[static_cast<std::size_t>(number)];
    const Timeline& r = plan.session.timeline;
    const auto trouble = [&](std::string sentence) { out.push_back({number, true, std::move(sentence)}); };
    if (row.container != Container::Wav || row.content == Content::Stems || row.content == Content::Limiter)
        trouble("Objects go into Broadcast WAVs of one mix each. Choose WAV, or switch objects off.");
    if (row.binaural || channels_of(row.layout) <= 2)
        trouble(
            "Objects stand beside a bed of more than two channels. Choose other channels, or switch objects "
            "off.");
    if (!r.buses.front().strip.chain.empty())
        trouble(
            "What the main bus's parts do cannot be done to objects. Take them out of its chain, or switch "
            "objects off.");
    const std::size_t channels = channels_of(row.layout) + object_channels(plan.session, row);
    if (channels > static_cast<std::size_t>(kMaxChannels))
        trouble(fmt::format(
            "Bed and objects are {} channels, where a file has {} at most. Give some tracks to another bus.",
            channels, kMaxChannels));
    if (object_channels(plan.session, row) == 0)
        out.push_back({number, false,
                       "No mono or stereo track goes straight to a main bus of more than two channels: there "
                       "are no objects."});
}

// Music that plays in a row that leaves a part of it out, and does not come in parts.
void check_left_out(const DeliveryPlan& plan, int number, std::vector<Issue>& out) {
    const HandoverRow& row = plan.table.rows[static_cast<std::size_t>(number)];
    const auto part = left_out_by(row.content);
    if (!part) return;
    const char* name = kSoundNames[sound_of(*part)];
    std::set<fs::path> told;
    for (const auto& track : plan.session.timeline.tracks) {
        if (track.strip.mute || !holds(row.content, stem_of(track))) continue;
        for (const auto& clip : track.clips) {
            const auto media = plan.media.find(clip.path);
            const bool split = media != plan.media.end() && media->second.map != nullptr;
            const bool whole = clip.clip_source == ClipSource::Whole;
            if ((split && !whole && media->second.map->opens_music()) || !told.insert(clip.path).second)
                continue;
            const std::string file = clip.path.filename().string();
            out.push_back({number, *part == MusicPart::Drums,
                           whole
                               ? fmt::format("\"{}\" plays as it came, with its {}. Split it, open its music "
                                             "and place that, to leave them out.",
                                             file, name)
                               : fmt::format("The music of \"{}\" has not been opened into its parts: its {} "
                                             "stay. Open it first.",
                                             file, name)});
        }
    }
}

}  // namespace

DeliverySize size_of(const DeliveryPlan& plan) {
    DeliverySize out;
    std::error_code error;
    std::set<std::string> pictures;  // whose packets are copied into a file once, however many sounds it gets
    for (const auto& row : plan.table.rows) {
        if (!row.on) continue;
        out.bytes += bytes_of_row(plan, row);
        const fs::path* picture = row.container == Container::Picture ? picture_of(plan.session) : nullptr;
        if (picture != nullptr &&
            pictures.insert(file_name(row, plan.name, picture_ending(plan.session))).second) {
            const auto size = fs::file_size(*picture, error);
            if (!error) out.bytes += static_cast<double>(size);
        }
    }
    fs::path there = plan.folder.empty() ? fs::path(".") : plan.folder;
    while (!there.empty() && !fs::exists(there, error))
        there = there.has_relative_path() ? there.parent_path() : fs::path(".");
    const auto space = fs::space(there, error);
    if (!error) out.free_bytes = static_cast<double>(space.available);
    return out;
}

std::vector<Issue> check(const DeliveryPlan& plan) {
    std::vector<Issue> out;
    const Timeline& r = plan.session.timeline;
    if (r.end() == 0 || r.sample_rate == 0)
        out.push_back({-1, true, "There is nothing on the tracks yet. Place stems or files first."});
    for (const auto& path : missing_media(plan.session))
        out.push_back({-1, true, fmt::format("\"{}\" is not there. Say where it is now.", path.string())});
    std::set<fs::path> unsplit;
    for (const auto& track : r.tracks) {
        for (const auto& clip : track.clips) {
            const auto media = plan.media.find(clip.path);
            const bool split = media != plan.media.end() && media->second.map != nullptr;
            const std::string file = clip.path.filename().string();
            if (clip.clip_source != ClipSource::Whole && !split && unsplit.insert(clip.path).second)
                out.push_back(
                    {-1, true, fmt::format("\"{}\" has not been split yet. Split it first.", file)});
            if (plays_music_part(clip.clip_source) && split && !media->second.map->opens_music() &&
                unsplit.insert(clip.path).second)
                out.push_back({-1, true,
                               fmt::format("The music of \"{}\" has not been opened into its parts. Open it "
                                           "first.",
                                           file)});
        }
    }
    std::map<std::string, int> names;
    std::error_code error;
    bool any = false;
    for (std::size_t i = 0; i < plan.table.rows.size(); ++i) {
        const auto& row = plan.table.rows[i];
        if (!row.on) continue;
        any = true;
        const int number = static_cast<int>(i);
        const std::string file = file_name(row, plan.name, picture_ending(plan.session));
        const auto [at, fresh] = names.emplace(lower(file), number);
        const bool one_picture = row.container == Container::Picture &&
                                 plan.table.rows[static_cast<std::size_t>(at->second)].container ==
                                     Container::Picture;  // several sounds under it
        if (!fresh && !one_picture)
            out.push_back({number, true,
                           fmt::format("\"{}\" is the name of row {}, too. Use {{content}}, {{version}} or "
                                       "{{target}} in one of "
                                       "them.",
                                       file, at->second + 1)});
        if (!row.target.empty() && find_target(plan.table.targets, row.target) == nullptr)
            out.push_back(
                {number, true,
                 fmt::format("There is no target \"{}\". Choose one of the list or add it.", row.target)});
        if (row.content == Content::Stems && !keeps_samples(row.container))
            out.push_back({number, true, "All stems in one file go into WAV or FLAC only."});
        if (row.container == Container::Flac && !has_depth(row.container, row.depth))
            out.push_back({number, true, "FLAC holds no floating point. Choose 16 or 24 bit."});
        if (!row.binaural && !holds_layout(row.container, row.layout))
            out.push_back({number, true,
                           fmt::format("{} does not hold {}. Choose WAV, or other channels.",
                                       label_of(row.container), name_of(row.layout))});
        if (row.objects) check_objects(plan, number, out);
        check_left_out(plan, number, out);
        if (row.loop_only && !r.loop)
            out.push_back({number, true, "There is no loop range. Set one, or deliver all of it."});
        if (row.container == Container::Picture && picture_of(plan.session) == nullptr)
            out.push_back({number, true, "The session has no picture to go under."});
        if (row.container == Container::Picture && row.loop_only)
            out.push_back({number, true, "Under a picture goes all of it. Switch the loop range off."});
        const bool heard = std::ranges::any_of(r.tracks, [&](const Track& t) {
            return !t.clips.empty() && !t.strip.mute && holds(row.content, stem_of(t));
        });
        if (!heard)
            out.push_back(
                {number, false,
                 fmt::format("No track plays {}: the file will be silent.", label_of(row.content))});
        if (row.card >= 0) {
            const bool kept = std::ranges::any_of(plan.session.items, [&](const SessionItem& item) {
                return item.cards[static_cast<std::size_t>(row.card)].has_value();
            });
            if (!kept)
                out.push_back({number, true,
                               fmt::format("Card {} is empty. Keep settings on it first.", row.card + 1)});
        }
        const fs::path target = plan.folder / file;
        if (fs::exists(target, error) && !plan.replace)
            out.push_back(
                {number, false,
                 fmt::format("\"{}\" is there already: it stays when it was made from the same, else the row "
                             "fails unless replacing is allowed.",
                             file)});
        for (const auto& [path, media] : plan.media) {
            if (same_file(path, target))
                out.push_back(
                    {number, true,
                     fmt::format("\"{}\" is one of the recordings and is never written to.", file)});
        }
    }
    if (!any) out.push_back({-1, true, "No row is switched on."});
    const DeliverySize size = size_of(plan);
    if (size.free_bytes && *size.free_bytes < size.bytes)
        out.push_back({-1, true,
                       fmt::format("The disk of \"{}\" has {:.1f} GB left where {:.1f} GB are needed.",
                                   plan.folder.string(), *size.free_bytes / 1e9, size.bytes / 1e9)});
    return out;
}

}  // namespace rivlen
