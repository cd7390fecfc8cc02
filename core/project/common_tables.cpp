// SPDX-License-Identifier: GPL-3.0-or-later
// Tables of deliveries for common jobs.
#include <array>

#include "core/project/delivery_table.h"

namespace rivlen {

namespace {

constexpr std::array kFourStems = {Content::Dialogue, Content::Reverb, Content::Music, Content::Ambience};

class TableMaker {
  public:
    TableMaker(const char* name, const char* note) { table_.name = name, table_.note = note; }
    HandoverRow& add(Content content, Container container, const char* target, const char* file = nullptr) {
        HandoverRow& row = table_.rows.emplace_back();
        row.content = content;
        row.container = container;
        row.target = target;
        if (file != nullptr) row.name = file;
        return row;
    }
    void add_stems(const char* target, Depth depth = Depth::Pcm24) {
        for (const Content stem : kFourStems) add(stem, Container::Wav, target).depth = depth;
    }
    HandoverTemplate table() { return std::move(table_); }

  private:
    HandoverTemplate table_;
};

HandoverTemplate programme(const char* name, const char* note, const char* target) {
    TableMaker t(name, note);
    t.add(Content::Mix, Container::Wav, target);
    t.add(Content::MusicAndEffects, Container::Wav, target);
    t.add_stems(target);
    t.add(Content::Mix, Container::Opus, "speech", "{name} to listen");
    return t.table();
}

HandoverTemplate short_form() {
    TableMaker t(
        "Short form, Europe",
        "Advertising and trailers: no three seconds above -18 LUFS (EBU R 128 s1). Stereo and mono.");
    t.add(Content::Mix, Container::Wav, "r128-short");
    t.add(Content::Mix, Container::Wav, "r128-short", "{name} {content} mono").layout = Layout::Mono;
    t.add(Content::MusicAndEffects, Container::Wav, "r128-short");
    return t.table();
}

HandoverTemplate spoken_word() {
    TableMaker t(
        "Spoken word",
        "Talk for the net at -16 LUFS (common practice): a master, a file for players, one for small "
        "connections in mono.");
    t.add(Content::Mix, Container::Flac, "speech", "{name} master");
    t.add(Content::Mix, Container::Mp3, "speech", "{name}");
    t.add(Content::Mix, Container::Opus, "speech", "{name} mono").layout = Layout::Mono;
    return t.table();
}

HandoverTemplate picture_in_two_languages() {
    TableMaker t(
        "Under the picture",
        "One file with the picture: the mix, music and effects for a second language, and the sound it came "
        "with, all at R 128. Name the languages in the rows.");
    auto& mix = t.add(Content::Mix, Container::Picture, "r128", "{name}");
    mix.keep_original_sound = true;
    t.add(Content::MusicAndEffects, Container::Picture, "r128", "{name}").language = "zxx";
    return t.table();
}

HandoverTemplate archive() {
    TableMaker t(
        "Archive",
        "As loud as it was mixed, in floating point, so that nothing is clipped; what limiter and buses did "
        "lies beside the stems, so that all files add up.");
    t.add(Content::Mix, Container::Wav, "").depth = Depth::Float32;
    t.add_stems("", Depth::Float32);
    t.add(Content::Limiter, Container::Wav, "").depth = Depth::Float32;
    HandoverTemplate table = t.table();
    table.umid = table.exchange = true;
    return table;
}

HandoverTemplate for_the_editor() {
    TableMaker t("For the picture editor",
                 "The stems as one file of eight channels, the mix, cut lists and projects for other tools.");
    t.add(Content::Stems, Container::Wav, "");
    t.add(Content::Mix, Container::Wav, "");
    HandoverTemplate table = t.table();
    table.exchange = true;
    return table;
}

}  // namespace

std::vector<HandoverRow> stem_rows_of(const HandoverRow& row) {
    std::vector<HandoverRow> out;
    for (const Content stem : kFourStems) {
        HandoverRow& made = out.emplace_back(row);
        made.content = stem;
        // A name that does not say what it holds would be that of the mix.
        if (made.name.find("{content}") == std::string::npos) made.name += " {content}";
        made.keep_original_sound = false;
    }
    return out;
}

HandoverTemplate standard_template() {
    return programme("Programme with stems",
                     "Mix, music and effects and the four stems for broadcast, and a listening copy.",
                     "r128");
}

std::vector<HandoverTemplate> common_tables() {
    return {
        standard_template(),
        short_form(),
        programme(
            "Programme, North America",
            "Mix, music and effects and stems, loud by where somebody speaks (ATSC A/85), and a listening "
            "copy.",
            "a85"),
        programme("Film or series by dialogue",
                  "-27 LKFS where somebody speaks, within 2 LU, true peaks under -2 dBTP (common practice of "
                  "streaming services).",
                  "dialogue-27"),
        spoken_word(),
        picture_in_two_languages(),
        for_the_editor(),
        archive()};
}

}  // namespace rivlen
