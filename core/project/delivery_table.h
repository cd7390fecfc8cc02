// SPDX-License-Identifier: GPL-3.0-or-later
// What is delivered, as rows of a table: data that is edited, shared and used for many recordings. Kept as
// JSON (docs/handover.md).
#pragma once

#include <filesystem>
#include <nlohmann/json.hpp>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/result.h"
#include "core/project/target.h"
#include "core/separation/audition.h"
#include "core/space/layout.h"

namespace rivlen {

inline constexpr const char* kTemplateExtension = ".rivlen-handover";

// Which tracks a row holds: all; those that play a stem; all but dialogue and reverb; dialogue and reverb;
// all that plays no voice and no place (music alone), where nobody sings: of opened music without its voices;
// music without its drums. Limiter: what limiter and buses did to the mix, its
// difference to the sum of the four stems.
enum class Content {
    Mix,
    Dialogue,
    Reverb,
    Music,
    Ambience,
    MusicAndEffects,
    Voice,
    Instrumental,
    MusicWithoutDrums,
    Stems,
    Limiter
};
inline constexpr std::size_t kContents = 11;
[[nodiscard]] const char* key_of(Content content);
[[nodiscard]] const char* label_of(Content content);

enum class Container { Wav, Flac, Opus, Mp3, Aac, Picture };
inline constexpr std::size_t kContainers = 6;
[[nodiscard]] const char* key_of(Container container);
[[nodiscard]] const char* label_of(Container container);

enum class Depth { Pcm16, Pcm24, Float32 };
[[nodiscard]] const char* key_of(Depth depth);
[[nodiscard]] constexpr int bits_of(Depth depth) {
    return depth == Depth::Pcm16 ? 16 : depth == Depth::Pcm24 ? 24 : 32;
}
// Files that hold every sample as it was given (to their depth).
[[nodiscard]] constexpr bool keeps_samples(Container container) {
    return container == Container::Wav || container == Container::Flac;
}
// Whether a file of this kind can hold samples of this depth; coders have none of their own.
[[nodiscard]] constexpr bool has_depth(Container container, Depth depth) {
    return keeps_samples(container) && (container == Container::Wav || depth != Depth::Float32);
}

// Whether files of a kind hold sound of a layout, so that others read it as such. Coders and pictures: mono,
// stereo, 5.1 (MP3: the first two); FLAC: LCR, too; WAV: all.
[[nodiscard]] bool holds_layout(Container container, Layout layout);

struct HandoverRow {
    bool on = true;
    Content content = Content::Mix;
    int card = -1;        // settings of the stems: 0 to 5; -1: as tuned
    std::string version;  // "natural", "clean": rows of one version get one gain
    std::string target;   // key; empty: as loud as it is
    Container container = Container::Wav;
    Depth depth = Depth::Pcm24;
    int sample_rate = 0;               // 0: that of the session
    Layout layout = Layout::Stereo;    // the session's main bus is brought to it
    bool binaural = false;             // two channels for headphones instead, through a measured head
    bool objects = false;              // Wav: placed tracks as objects of their own beside the bed
    bool ac3 = false;                  // Picture: coded as AC-3
    bool keep_original_sound = false;  // Picture: as a further track
    std::string language = "und";      // Picture: ISO 639-2
    std::string name = "{name} {content} {version}";  // of the file, without its ending
    bool loop_only = false;                           // only the session's loop range
    [[nodiscard]] bool mono() const { return layout == Layout::Mono && !binaural; }
    // Of the file, but for stems side by side and objects beside a bed.
    [[nodiscard]] std::size_t channels() const { return binaural ? 2 : channels_of(layout); }
    bool operator==(const HandoverRow&) const = default;
};

struct HandoverTemplate {
    std::string name, note;
    std::vector<HandoverRow> rows;
    std::vector<LoudnessTarget> targets;  // further ones
    bool umid = false;                    // Broadcast WAVs carry an identifier (SMPTE ST 330)
    bool exchange = false;                // the session for other tools lies beside the files (exchange.h)
    bool operator==(const HandoverTemplate&) const = default;
};

// Mix, stems, music and effects as 24-bit WAV at R 128, and a small file to listen to.
[[nodiscard]] HandoverTemplate standard_template();
// A row for each of the four stems, with the version, settings, target and kind of file of another.
[[nodiscard]] std::vector<HandoverRow> stem_rows_of(const HandoverRow& row);
// Tables for common jobs, the standard one first; what each is for, and where its targets come from, is its
// note.
[[nodiscard]] std::vector<HandoverTemplate> common_tables();
// Errors: NotFound, BadInput, Unsupported; Io, DiskFull.
[[nodiscard]] Result<HandoverTemplate> load_template(const std::filesystem::path& path);
[[nodiscard]] Status save_template(const HandoverTemplate& value, const std::filesystem::path& path);
// The same as a part of something else, a session. path: where it stands, for the sentence of an error.
[[nodiscard]] nlohmann::json table_to_json(const HandoverTemplate& value);
[[nodiscard]] Result<HandoverTemplate> table_from_json(const nlohmann::json& value, const std::string& path);
[[nodiscard]] std::string template_to_json(const HandoverTemplate& value);
[[nodiscard]] Result<HandoverTemplate> template_from_json(const std::string& text, const std::string& path);

// A text as (part of) the name of a file: without what no file system takes.
[[nodiscard]] std::string file_part(std::string_view text);
// File of a row, with its ending; {name}, {content}, {version}, {target}, {rate} are filled in, and what no
// file system takes is left out. picture: ending of Container::Picture.
[[nodiscard]] std::string file_name(const HandoverRow& row, const std::string& name,
                                    const std::string& picture_ending);

}  // namespace rivlen
