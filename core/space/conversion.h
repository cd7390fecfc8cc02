// SPDX-License-Identifier: GPL-3.0-or-later
// Sound of one layout as sound of another: what of each channel goes to each.
#pragma once

#include <cstddef>
#include <span>
#include <vector>

#include "core/base/channel_block.h"
#include "core/space/layout.h"

namespace rivlen {

// Row by row: gain(to, from).
class ChannelMatrix {
  public:
    ChannelMatrix() = default;
    ChannelMatrix(std::size_t to, std::size_t from) : to_(to), from_(from), gains_(to * from) {}
    [[nodiscard]] std::size_t to() const { return to_; }
    [[nodiscard]] std::size_t from() const { return from_; }
    [[nodiscard]] double& operator()(std::size_t to, std::size_t from) { return gains_[to * from_ + from]; }
    [[nodiscard]] double operator()(std::size_t to, std::size_t from) const {
        return gains_[to * from_ + from];
    }
    [[nodiscard]] std::span<double> row_by_row() { return gains_; }
    // this behind first.
    [[nodiscard]] ChannelMatrix after(const ChannelMatrix& first) const;
    // out = matrix * in; channels of equal lengths, out may not be in.
    void apply(const ChannelBlock& in, const ChannelBlock& out) const;
    bool operator==(const ChannelMatrix&) const = default;

  private:
    std::size_t to_ = 0, from_ = 0;
    std::vector<double> gains_;
};

// What goes to fewer loudspeakers. Centre and surround as ITU-R BS.775-3, annex 4, table 2: -3 dB; height to
// those below, sides and rears to the surrounds, -3 dB where two become one (common practice, no source); LFE
// is left out as there (from kNothingDb down).
struct FoldDown {
    static constexpr double kNothingDb = -60, kMostDb = 6;
    static constexpr double kMinus3Db = -3.0102999566398120;  // half the power
    double centre_db = kMinus3Db, surround_db = kMinus3Db, height_db = kMinus3Db, lfe_db = kNothingDb;
    bool operator==(const FoldDown&) const = default;
};
// kNothingDb to kMostDb, each.

// How ambisonics become loudspeakers: all-round decoding (Zotter and Frank 2012): the field is sampled by a
// grid of virtual loudspeakers that are panned onto the real ones, with weights by order that make the energy
// vector longest (MaxRe) or none (Basic). The mean energy over all directions is that of the source.
enum class DecoderWeights { MaxRe, Basic };

struct ConversionSettings {
    FoldDown fold_down;
    DecoderWeights decoder = DecoderWeights::MaxRe;
    bool operator==(const ConversionSettings&) const = default;
};

// Loudspeakers to loudspeakers: those of one name to each other, the rest by fold-down; mono to Centre, to
// both sides at -3 dB where there is none. Loudspeakers to ambisonics: each as a source where it stands,
// without LFE. Ambisonics to ambisonics: the orders that both have.
[[nodiscard]] ChannelMatrix conversion(Layout from, Layout to, const ConversionSettings& settings = {});

// The decoder alone; order 1 to 5, rows in order of channels, LFE 0.
[[nodiscard]] ChannelMatrix all_round_decoder(int order, Layout loudspeaker_layout, DecoderWeights weights);

// Lengths and directions of a gain set's velocity and energy vectors (Gerzon 1992): sums of the loudspeakers'
// directions weighted by their gains, or by their squares, divided by the sum of the weights.
struct FieldVectors {
    Vector3 velocity{}, energy{};
};
[[nodiscard]] FieldVectors field_vectors(Layout layout, std::span<const double> gains);

}  // namespace rivlen
