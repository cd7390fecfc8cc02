// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/media/source.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <fstream>
#include <nlohmann/json.hpp>

#include "core/base/hash.h"
#include "core/base/json_text.h"
#include "core/base/output_file.h"
#include "core/dsp/interleave.h"
#include "core/dsp/resample.h"
#include "core/media/sound_under_picture.h"

namespace rivlen {

namespace {

namespace fs = std::filesystem;
constexpr std::size_t kHeadBytes = 4096;

// Of the head, the tail and places in between: programs that restore a file's time change its bytes
// somewhere.
std::string sampled_hash(const fs::path& file, std::uintmax_t size) {
    constexpr std::uintmax_t kPieceBytes = 1 << 14;
    constexpr std::uintmax_t kPieces = 32;
    Hasher hasher;
    std::ifstream stream(file, std::ios::binary);
    std::vector<char> piece(kPieceBytes);
    for (std::uintmax_t i = 0; i < kPieces && stream; ++i) {
        const std::uintmax_t last = size > kPieceBytes ? size - kPieceBytes : 0;
        stream.seekg(static_cast<std::streamoff>(last * i / (kPieces - 1)));
        stream.read(piece.data(), static_cast<std::streamsize>(piece.size()));
        hasher.add(std::as_bytes(std::span(piece).first(static_cast<std::size_t>(stream.gcount()))));
        if (stream.eof()) stream.clear();
    }
    return hasher.hex();
}

// Names the sound file after what identifies the original, so that a changed original is decoded again.
fs::path sound_path(const fs::path& original, const fs::path& work_folder) {
    std::error_code error;
    const fs::path absolute = fs::absolute(original, error);
    const auto size = fs::file_size(original, error);
    const auto changed = fs::last_write_time(original, error).time_since_epoch().count();
    const std::string key =
        fmt::format("{}|{}|{}|{}|2", absolute.string(), size, changed, sampled_hash(original, size));
    return work_folder / (hash_hex(std::as_bytes(std::span(key))).substr(0, 24) + ".sound");
}

template <typename T>
bool read_number(const safetensors::Metadata& metadata, const std::string& key, T& out) {
    const auto found = metadata.find(key);
    if (found == metadata.end()) return false;
    const std::string& text = found->second;
    return std::from_chars(text.data(), text.data() + text.size(), out).ec == std::errc{};
}

// What was worked around, and whether the end is missing.
std::vector<std::string> warnings_of(const SoundUnderPicture& sound, double seconds) {
    std::vector<std::string> all = sound.warnings();
    const double declared = sound.info().duration_seconds;
    if (sound.notes().read_error.empty() && declared > 0 &&
        seconds < declared - std::max(0.5, 0.02 * declared))
        all.push_back(fmt::format(
            "The file ends after {:.1f} s though it says {:.1f} s: it was cut short; copy it again "
            "if the end matters.",
            seconds, declared));
    return all;
}

// Writes a working copy: block after block, then the head with what is known at the end.
class WorkingCopy {
  public:
    static Result<WorkingCopy> create(const fs::path& path, const fs::path& original, int sample_rate,
                                      int channels) {
        auto out = OutputFile::create(path, Readers::Owner);
        if (!out) return out.error();
        WorkingCopy copy(std::move(*out), channels);
        std::error_code error;
        copy.metadata_ = {{"format", "rivlen-sound-1"},
                          {"original", fs::absolute(original, error).string()},
                          {"sample_rate", std::to_string(sample_rate)}};
        if (auto status = copy.write_head(true); !status) return status.error();
        const std::string form = fmt::format("{}/{}", sample_rate, channels);
        copy.hasher_.add(std::as_bytes(std::span(form)));
        return copy;
    }
    Status append(std::span<const float> interleaved) {
        hasher_.add(std::as_bytes(interleaved));
        frames_ += interleaved.size() / static_cast<std::size_t>(channels_);
        return out_.write(std::as_bytes(interleaved));
    }
    [[nodiscard]] std::uint64_t frames() const { return frames_; }
    Status finish(const std::vector<std::string>& warnings) {
        metadata_["hash"] = hasher_.hex();
        metadata_["warnings"] = nlohmann::json(warnings).dump();
        if (auto status = write_head(false); !status) return status;
        return out_.commit();
    }

  private:
    WorkingCopy(OutputFile out, int channels) : out_(std::move(out)), channels_(channels) {}
    Status write_head(bool first) {
        const std::array<std::int64_t, 2> shape = {static_cast<std::int64_t>(frames_), channels_};
        auto head =
            safetensors::single_tensor_head(metadata_, "sound", "F32", shape, sizeof(float), kHeadBytes);
        if (!head) return head.error();
        const auto bytes = std::as_bytes(std::span(*head));
        return first ? out_.write(bytes) : out_.write_at(0, bytes);
    }
    OutputFile out_;
    int channels_;
    std::uint64_t frames_ = 0;
    Hasher hasher_;
    safetensors::Metadata metadata_;
};

}  // namespace

Result<Source> Source::bring_in(const fs::path& original, const fs::path& work_folder,
                                const JobControl& job) {
    auto sound = SoundUnderPicture::open(original, -1, job.cancel);
    if (!sound) return sound.error();
    if (auto status = prepare_work_folder(work_folder); !status) return status.error();
    std::error_code error;
    const fs::path path = sound_path(original, work_folder);
    if (fs::exists(path, error)) {
        auto existing = open(path);
        if (existing) return existing;  // a damaged leftover is simply made again
    }
    const AudioStreamInfo& info = sound->info();
    auto copy = WorkingCopy::create(path, original, info.sample_rate, info.channels);
    if (!copy) return copy.error();
    constexpr std::int64_t kBlockFrames = 1 << 16;
    AudioBlock block;
    std::vector<float> interleaved;
    while (true) {
        if (job.cancelled()) return JobControl::cancelled_error();
        if (auto status = sound->next(kBlockFrames, block); !status) return status.error();
        if (block.empty()) break;
        interleave(block, interleaved);
        if (auto status = copy->append(interleaved); !status) return status.error();
        if (info.duration_seconds > 0) {
            job.report(std::min(
                1.0, static_cast<double>(copy->frames()) / info.sample_rate / info.duration_seconds));
        }
    }
    if (copy->frames() == 0) {
        return make_error(ErrorKind::BadInput,
                          "\"{}\" holds no sound: its length is zero. Choose another file.",
                          original.string());
    }
    const double seconds = static_cast<double>(copy->frames()) / info.sample_rate;
    if (auto status = copy->finish(warnings_of(*sound, seconds)); !status) return status.error();
    return open(path);
}

Result<Source> Source::at_rate(const Source& source, int sample_rate, const fs::path& work_folder,
                               const JobControl& job) {
    if (source.sample_rate() == sample_rate) return open(source.sound_file_);
    const fs::path path = work_folder / fmt::format("{}-{}.sound", source.hash().substr(0, 24), sample_rate);
    std::error_code error;
    if (fs::exists(path, error)) {
        auto existing = open(path);
        if (existing) return existing;
    }
    auto copy = WorkingCopy::create(path, source.original(), sample_rate, source.channels());
    if (!copy) return copy.error();
    const auto channels = static_cast<std::size_t>(source.channels());
    std::vector<Resampler> converters;
    for (std::size_t c = 0; c < channels; ++c) {
        auto made = Resampler::create(source.sample_rate(), sample_rate, ResampleQuality::VeryHigh);
        if (!made) return made.error();
        converters.push_back(std::move(*made));
    }
    constexpr std::size_t kPiece = 1 << 16;
    std::vector<float> in;
    std::vector<std::vector<float>> out(channels);
    std::vector<float> interleaved;
    const auto total = static_cast<std::size_t>(source.frames());
    for (std::size_t at = 0; at < total; at += kPiece) {
        if (job.cancelled()) return JobControl::cancelled_error();
        in.resize(std::min(kPiece, total - at));
        for (std::size_t c = 0; c < channels; ++c) {
            source.read(static_cast<int>(c), static_cast<std::int64_t>(at), in);
            out[c].clear();
            converters[c].process(in, at + in.size() == total, out[c]);
        }
        interleave(out, interleaved);
        if (auto status = copy->append(interleaved); !status) return status.error();
        job.report(static_cast<double>(at + in.size()) / static_cast<double>(total));
    }
    if (auto status = copy->finish(source.warnings()); !status) return status.error();
    return open(path);
}

Result<Source> Source::open(const fs::path& sound_file) {
    auto file = safetensors::File::open(sound_file);
    if (!file) return file.error();
    Source source;
    const auto& metadata = file->metadata();
    const auto* sound = file->find("sound");
    if (sound == nullptr || sound->dtype != "F32" || sound->shape.size() != 2 || sound->shape[0] < 1 ||
        sound->shape[1] < 1 || sound->shape[1] > kMaxChannels ||
        !read_number(metadata, "sample_rate", source.sample_rate_) || source.sample_rate_ < kMinSampleRate ||
        source.sample_rate_ > kMaxSampleRate || !metadata.contains("hash")) {
        return make_error(ErrorKind::BadInput,
                          "\"{}\" is not a working copy of a recording. Bring the recording in again.",
                          sound_file.string());
    }
    source.frames_ = static_cast<std::uint64_t>(sound->shape[0]);
    source.channels_ = static_cast<int>(sound->shape[1]);
    source.original_ = metadata.contains("original") ? metadata.at("original") : "";
    source.hash_ = metadata.at("hash");
    if (metadata.contains("warnings")) {
        const auto json = parse_json(metadata.at("warnings"));
        if (json.is_array()) {
            for (const auto& entry : json) {
                if (entry.is_string()) source.warnings_.push_back(entry.get<std::string>());
            }
        }
    }
    source.samples_ = {reinterpret_cast<const float*>(sound->bytes.data()),
                       sound->bytes.size() / sizeof(float)};
    source.sound_file_ = sound_file;
    source.file_ = std::move(*file);
    return source;
}

Status Source::intact() const {
    if (file_.intact()) return {};
    return make_error(
        ErrorKind::Io,
        "The working copy of \"{}\" was cut short while it was read. Bring the recording in again.",
        original_.filename().string());
}

void Source::read(int channel, std::int64_t start_frame, std::span<float> out) const {
    const auto total = static_cast<std::int64_t>(frames_);
    const auto count = static_cast<std::int64_t>(out.size());
    const std::int64_t from = std::clamp<std::int64_t>(-start_frame, 0, count);
    const std::int64_t to = std::clamp<std::int64_t>(total - start_frame, from, count);
    std::fill(out.begin(), out.begin() + from, 0.0F);
    std::fill(out.begin() + to, out.end(), 0.0F);
    if (to == from) return;
    const auto stride = static_cast<std::size_t>(channels_);
    const float* in = samples_.data() + static_cast<std::size_t>(start_frame + from) * stride +
                      static_cast<std::size_t>(channel);
    const auto inside = static_cast<std::size_t>(to - from);
    float* to_out = out.data() + from;
    if (stride == 2) {  // a constant step is what compilers make vector code of
        for (std::size_t i = 0; i < inside; ++i) to_out[i] = in[2 * i];
    } else {
        for (std::size_t i = 0; i < inside; ++i) to_out[i] = in[i * stride];
    }
}

}  // namespace rivlen
