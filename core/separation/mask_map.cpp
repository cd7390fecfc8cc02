// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/mask_map.h"

#include <algorithm>
#include <bit>
#include <charconv>
#include <cmath>
#include <limits>
#include <vector>

#include "core/separation/corrections.h"

namespace rivlen {

namespace {

constexpr float kStepsPerDb = 4.0F;
constexpr std::size_t kHeadBytes = 2048;

const std::array<float, 256>& decode_table() {
    static const auto table = [] {
        std::array<float, 256> values{};
        for (std::size_t c = 1; c < values.size(); ++c) {
            values[c] = std::pow(10.0F, (static_cast<float>(c) - 255.0F) / kStepsPerDb / 20.0F);
        }
        return values;
    }();
    return table;
}

std::uint8_t code_by_definition(float mask) {
    const float code = 255.0F + kStepsPerDb * 20.0F * std::log10(std::max(mask, 1e-9F));
    return static_cast<std::uint8_t>(std::clamp(std::lround(code), 0L, 255L));
}

// Codes by the upper half of a float's bits, and the smallest value of every code: a step of a quarter of a
// decibel is wider than what the lower half can tell apart, so that one comparison decides. A logarithm for
// every mask took a tenth of the time of a split.
struct CodeTable {
    static constexpr std::size_t kHalves = 0x4000;  // of values up to 2
    std::array<std::uint8_t, kHalves> code{};
    std::array<float, 257> smallest{};
    CodeTable() {
        for (std::size_t i = 0; i < kHalves; ++i)
            code[i] = code_by_definition(std::bit_cast<float>(static_cast<std::uint32_t>(i) << 16U));
        smallest.fill(std::numeric_limits<float>::infinity());
        for (int c = 1; c < 256; ++c) {
            std::uint32_t below = 0;  // of lower code
            std::uint32_t from = std::bit_cast<std::uint32_t>(1.5F);
            while (from - below > 1) {
                const std::uint32_t middle = below + (from - below) / 2;
                (code_by_definition(std::bit_cast<float>(middle)) >= c ? from : below) = middle;
            }
            smallest[static_cast<std::size_t>(c)] = std::bit_cast<float>(from);
        }
    }
};

}  // namespace

std::uint8_t encode_mask(float mask) {
    static const CodeTable table;
    const std::uint32_t half = std::bit_cast<std::uint32_t>(mask) >> 16U;
    if (half >= CodeTable::kHalves) return code_by_definition(mask);  // below zero, above two, or no number
    const std::uint8_t code = table.code[half];
    return mask >= table.smallest[code + 1U] ? static_cast<std::uint8_t>(code + 1U) : code;
}

void decode_masks(std::span<const std::uint8_t> codes, std::span<float> masks) {
    const auto& table = decode_table();
    for (std::size_t b = 0; b < kBands; ++b) {
        float sum = 0.0F;
        for (std::size_t s = 0; s < kStems; ++s) sum += table[codes[s * kBands + b]];
        // A damaged row of zeros counts as "equal shares", so that the stems still add up.
        const float scale = sum > 0.0F ? 1.0F / sum : 0.0F;
        for (std::size_t s = 0; s < kStems; ++s) {
            masks[s * kBands + b] = sum > 0.0F ? table[codes[s * kBands + b]] * scale : 1.0F / kStems;
        }
    }
}

Result<MaskMapWriter> MaskMapWriter::create(const std::filesystem::path& path, const MaskMapFacts& facts) {
    const safetensors::Metadata metadata = {{"format", "rivlen-map-1"},
                                            {"source_hash", facts.source_hash},
                                            {"model", facts.model},
                                            {"groups", std::to_string(facts.groups)}};
    const std::uint64_t rows = facts.frames * static_cast<std::uint64_t>(facts.groups);
    const std::array<std::int64_t, 3> shape = {static_cast<std::int64_t>(rows), kStems, kBands};
    auto head = safetensors::single_tensor_head(metadata, "masks", "U8", shape, 1, kHeadBytes);
    if (!head) return head.error();
    auto file = OutputFile::create(path, Readers::Owner);
    if (!file) return file.error();
    if (auto status = file->write(std::as_bytes(std::span(*head))); !status) return status.error();
    // As long as it will be, so that what is there can be read while the rest is missing.
    constexpr std::array<std::byte, 1> kLast{};
    if (rows > 0) {
        if (auto status = file->write_at(head->size() + rows * kMaskRow - 1, kLast); !status)
            return status.error();
    }
    return MaskMapWriter(std::move(*file), head->size(), facts.frames);
}

Result<MaskMap> MaskMapWriter::so_far() {
    const auto path = file_.so_far();
    if (!path) return path.error();
    return MaskMap::open(*path, {});
}

Status MaskMapWriter::write(std::uint64_t first_frame, std::span<const float> masks, int group) {
    std::vector<std::uint8_t> codes(masks.size());
    std::ranges::transform(masks, codes.begin(), encode_mask);
    const std::uint64_t row = static_cast<std::uint64_t>(group) * frames_ + first_frame;
    return file_.write_at(body_offset_ + row * kMaskRow, std::as_bytes(std::span(codes)));
}

Result<MaskMap> MaskMap::open(const std::filesystem::path& path, const std::string& source_hash) {
    auto file = safetensors::File::open(path);
    if (!file) return file.error();
    const auto* masks = file->find("masks");
    const auto& metadata = file->metadata();
    int groups = 1;
    if (const auto found = metadata.find("groups"); found != metadata.end()) {
        const auto& text = found->second;
        if (std::from_chars(text.data(), text.data() + text.size(), groups).ec != std::errc{}) groups = 0;
    }
    if (groups < 1 || masks == nullptr || masks->dtype != "U8" || masks->shape.size() != 3 ||
        masks->shape[0] < 1 || masks->shape[1] != kStems || masks->shape[2] != kBands ||
        masks->shape[0] % groups != 0 || !metadata.contains("source_hash")) {
        return make_error(ErrorKind::BadInput, "\"{}\" is not a mask map. Split the recording again.",
                          path.string());
    }
    MaskMap map;
    map.facts_.source_hash = metadata.at("source_hash");
    map.facts_.model = metadata.contains("model") ? metadata.at("model") : "";
    map.facts_.frames = static_cast<std::uint64_t>(masks->shape[0] / groups);
    map.facts_.groups = groups;
    if (!source_hash.empty() && map.facts_.source_hash != source_hash) {
        return make_error(ErrorKind::Mismatch,
                          "The mask map \"{}\" belongs to another recording than the one opened. Split this "
                          "recording again.",
                          path.string());
    }
    map.codes_ = {reinterpret_cast<const std::uint8_t*>(masks->bytes.data()), masks->bytes.size()};
    map.file_ = std::make_shared<const safetensors::File>(std::move(*file));
    return map;
}

bool MaskMap::has(std::uint64_t frame) const {
    for (int group = 0; group < facts_.groups; ++group) {
        if (std::ranges::all_of(codes(frame, group), [](std::uint8_t code) { return code == 0; }))
            return false;
    }
    return true;
}

void MaskMap::read(double frame_position, std::span<float> masks, int group) const {
    const auto last = static_cast<double>(facts_.frames - 1);
    const double at = std::clamp(frame_position, 0.0, last);
    const auto low = static_cast<std::uint64_t>(at);
    const auto part = static_cast<float>(at - static_cast<double>(low));
    decode_masks(codes(low, group), masks.first(kMaskRow));
    if (part > 0.0F) {
        std::array<float, kMaskRow> next;
        decode_masks(codes(low + 1, group), next);
        for (std::size_t i = 0; i < kMaskRow; ++i) masks[i] += part * (next[i] - masks[i]);
    }
    if (masks.size() < kOpenedRow || !parts_) {
        if (corrections_) corrections_->apply(at, masks.first(kMaskRow), {}, group);
        return;
    }
    std::array<float, kOpenedRow - kMaskRow> shares;
    parts_->read(at, shares, group);
    const auto music = masks.subspan(kMusicSound * kBands, kBands);
    for (std::size_t i = 0; i < shares.size(); ++i) masks[kMaskRow + i] = shares[i] * music[i % kBands];
    if (corrections_) corrections_->apply(at, masks, shares, group);
}

Result<MaskMap> MaskMap::opened(std::shared_ptr<const MaskMap> parts) const {
    if (parts && (parts->facts_.frames != facts_.frames || parts->facts_.groups != facts_.groups ||
                  parts->facts_.source_hash != facts_.source_hash)) {
        return make_error(ErrorKind::Mismatch,
                          "The parts of the music belong to another recording, or its channels share masks "
                          "otherwise by now. Open the music again.");
    }
    MaskMap out = *this;
    out.parts_ = std::move(parts);
    return out;
}

void MaskMap::drop_pages() const {
    file_->drop_pages();
    if (parts_) parts_->drop_pages();
}

MaskMap MaskMap::corrected(std::shared_ptr<const PreparedCorrections> corrections) const {
    MaskMap out = *this;
    out.corrections_ = std::move(corrections);
    return out;
}

void MaskMap::add_fills(int channel, std::int64_t start_frame, std::span<float> sound) const {
    if (corrections_) corrections_->add_fills(channel, start_frame, sound);
}

bool MaskMap::cuts() const {
    return corrections_ && corrections_->cuts();
}

bool MaskMap::cuts_around(double frame_position) const {
    return corrections_ && corrections_->cuts_around(frame_position);
}

Status MaskMap::intact() const {
    if (file_->intact()) return parts_ ? parts_->intact() : Status{};
    return make_error(ErrorKind::Io,
                      "A mask map was cut short while it was read. Split the recording again.");
}

}  // namespace rivlen
