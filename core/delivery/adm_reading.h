// SPDX-License-Identifier: GPL-3.0-or-later
// What a file's audio definition model (ITU-R BS.2076-2, axml) and chna chunk (ITU-R BS.2088-1) say of its
// channels, read by the texts of both (from memory), not by how this program writes them.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "core/base/audio_block.h"
#include "core/base/result.h"
#include "core/mix/sound_objects.h"
#include "core/space/source_panner.h"

namespace rivlen {

struct AdmTrack {
    enum class Kind { Unknown, Loudspeaker, Source, Ambisonic, Ear };
    Kind kind =
        Kind::Unknown;   // formats of the common definitions, which the file does not define, are unknown
    std::string name;    // of its channel format
    std::string object;  // whose part it is
    std::string speaker_label;
    int order = 0, degree = 0;
    std::vector<ObjectBlock> course;  // of sources; a block without a duration goes on to the end
};
struct AdmReading {
    std::string programme;
    std::vector<AdmTrack> tracks;  // by channel of the file
};

// Errors: NotFound (the file has no such chunks), BadInput (they do not belong together or are damaged).
[[nodiscard]] Result<AdmReading> read_adm(const std::filesystem::path& path);
[[nodiscard]] Result<AdmReading> parse_adm(const std::string& axml, const std::string& chna,
                                           const std::string& path);

// The file's channels on a layout: loudspeakers by their labels, ambisonics by order and degree, sources
// panned where they are, with gains that go straight from the end of one block to the end of the next. What
// the layout has no channel for is left out.
class AdmRenderer {
  public:
    // The reading must outlive it.
    AdmRenderer(const AdmReading& reading, Layout layout, int sample_rate);
    // The next frames of the file; out has the layout's channels.
    void render(const AudioBlock& file, AudioBlock& out);

  private:
    struct Source {
        std::size_t track = 0, block = 0;
        std::vector<double> before, after;  // gains where the block begins and ends
    };
    void add_source(Source& source, std::span<const float> sound, AudioBlock& out);
    void enter(Source& source, std::size_t block);
    const AdmReading& reading_;
    SourcePanner panner_;
    int rate_;
    std::int64_t position_ = 0;
    std::vector<std::pair<std::size_t, std::size_t>> channels_;  // of the file, of the layout
    std::vector<Source> sources_;
};

}  // namespace rivlen
