// SPDX-License-Identifier: GPL-3.0-or-later
// The audio definition model of a file (ITU-R BS.2076-2) and the chunk that ties it to the file's channels
// (chna, ITU-R BS.2088-1): what a Broadcast WAV of more than two channels says of them. From memory of both
// texts.
#pragma once

#include <cstddef>
#include <string>
#include <vector>

#include "core/metering/level.h"
#include "core/mix/sound_objects.h"
#include "core/project/delivery_table.h"

namespace rivlen {

struct AdmFacts {
    std::string programme, content;  // names
    std::string language;            // ISO 639-2, empty: none is said
    Layout layout = Layout::Surround51;
    bool binaural = false;
    int sample_rate = 48000, bits = 24;
    std::size_t frames = 0;
    Level integrated_lufs, range_lu, true_peak_dbtp;
    std::vector<SoundObject> objects{};  // their channels stand behind those of the bed
};

// One programme with one content. Its first object is a bed whose channels say where their loudspeakers
// stand, ambisonics with order, degree and SN3D, or two channels for headphones; the others are sources whose
// places go along in blocks (width and height: the spread, of which 100 % are all around). Formats are
// defined in the file itself (identifiers from 1001 on), so that nobody needs a table of common definitions.
[[nodiscard]] std::string adm_xml(const AdmFacts& facts);

// The chna chunk's data: number of tracks and of identifiers, then 40 bytes each: track, UID (12), track
// format (14), pack format (11), a zero.
[[nodiscard]] std::vector<char> chna_of(const AdmFacts& facts);

}  // namespace rivlen
