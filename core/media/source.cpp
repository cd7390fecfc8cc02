#include "core/media/source.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <nlohmann/json.hpp>

#include "core/base/hash.h"
#include "core/base/output_file.h"

namespace rivlen {

namespace {

namespace fs = std::filesystem;
constexpr std::size_t kHeadBytes = 4096;

// Names the sound file after what identifies the original, so that a changed original is decoded again.
fs::path sound_path(const fs::path& original, const fs::path& work_folder) {
    std::error_code error;
    const fs::path absolute = fs::absolute(original, error);
    const auto size = fs::file_size(original, error);
    const auto changed = fs::last_write_time(original, error).time_since_epoch().count();
    const std::string key = fmt::format("{}|{}|{}|1", absolute.string(), size, changed);
    return work_folder / (hash_hex(std::as_bytes(std::span(key))).substr(0, 24) + ".sound");
}

template <typename T>
bool read_number(const safetensors::Metadata& metadata, const std::string& key, T& out) {
    const auto found = metadata.find(key);
    if (found == metadata.end()) return false;
    const std::string& text = found->second;
    return std::from_chars(text.data(), text.data() + text.size(), out).ec == std::errc{};
}

struct Trouble {
    std::uint64_t not_finite = 0;
    std::uint64_t damaged_packets = 0;
    double declared_seconds = 0;
    double seconds = 0;

    [[nodiscard]] std::vector<std::string> sentences() const {
        std::vector<std::string> all;
        if (not_finite > 0) {
            all.push_back(fmt::format(
                "{} samples are not numbers and are played as silence; write the recording again from "
                "its origin if they matter.",
                not_finite));
        }
        if (damaged_packets > 0) {
            all.push_back(fmt::format(
                "{} damaged places were skipped; copy the recording again if they matter.", damaged_packets));
        }
        if (declared_seconds > 0 && seconds < declared_seconds - std::max(0.5, 0.02 * declared_seconds)) {
            all.push_back(fmt::format(
                "The file ends after {:.1f} s though it says {:.1f} s: it was cut short; copy it again "
                "if the end matters.",
                seconds, declared_seconds));
        }
        return all;
    }
};

}  // namespace

Result<Source> Source::bring_in(const fs::path& original, const fs::path& work_folder,
                                const JobControl& job) {
    auto decoder = AudioDecoder::open(original);
    if (!decoder) return decoder.error();
    std::error_code error;
    fs::create_directories(work_folder, error);
    const fs::path path = sound_path(original, work_folder);
    if (fs::exists(path, error)) {
        auto existing = open(path);
        if (existing) return existing;  // a damaged leftover is simply made again
    }

    const AudioStreamInfo& info = decoder->info();
    const auto channels = static_cast<std::size_t>(info.channels);
    auto out = OutputFile::create(path);
    if (!out) return out.error();
    safetensors::Metadata metadata = {{"format", "rivlen-sound-1"},
                                      {"original", fs::absolute(original, error).string()},
                                      {"sample_rate", std::to_string(info.sample_rate)}};
    const auto write_head = [&](std::uint64_t frames, bool first) -> Status {
        const std::array<std::int64_t, 2> shape = {static_cast<std::int64_t>(frames), info.channels};
        auto head =
            safetensors::single_tensor_head(metadata, "sound", "F32", shape, sizeof(float), kHeadBytes);
        if (!head) return head.error();
        const auto bytes = std::as_bytes(std::span(*head));
        return first ? out->write(bytes) : out->write_at(0, bytes);
    };
    if (auto status = write_head(0, true); !status) return status.error();

    Hasher hasher;
    const std::string form = fmt::format("{}/{}", info.sample_rate, info.channels);
    hasher.add(std::as_bytes(std::span(form)));
    Trouble trouble;
    std::uint64_t frames = 0;
    const auto append = [&](std::span<const float> block) -> Status {
        hasher.add(std::as_bytes(block));
        frames += block.size() / channels;
        return out->write(std::as_bytes(block));
    };
    bool first_block = true;
    std::int64_t to_drop = 0;
    while (true) {
        if (job.cancelled()) return JobControl::cancelled_error();
        auto block = decoder->read();
        if (!block) return block.error();
        if (block->empty()) break;
        for (float& x : *block) {
            if (!std::isfinite(x)) {
                x = 0.0F;
                ++trouble.not_finite;
            }
        }
        if (first_block) {
            first_block = false;
            const auto lead = static_cast<std::int64_t>(
                std::llround(decoder->start_after_picture_seconds() * info.sample_rate));
            if (lead > 0) {
                const std::vector<float> silence(
                    static_cast<std::size_t>(std::min<std::int64_t>(lead, info.sample_rate * 3600LL)) *
                    channels);
                if (auto status = append(silence); !status) return status.error();
            }
            to_drop = std::max<std::int64_t>(0, -lead);
        }
        std::span<const float> samples = *block;
        const auto dropped =
            std::min<std::size_t>(static_cast<std::size_t>(to_drop), samples.size() / channels);
        to_drop -= static_cast<std::int64_t>(dropped);
        if (auto status = append(samples.subspan(dropped * channels)); !status) return status.error();
        if (info.duration_seconds > 0) {
            job.report(std::min(1.0, static_cast<double>(frames) / info.sample_rate / info.duration_seconds));
        }
    }
    if (frames == 0) {
        return make_error(ErrorKind::BadInput,
                          "\"{}\" holds no sound: its length is zero. Choose another file.",
                          original.string());
    }
    trouble.damaged_packets = decoder->damaged_packets();
    trouble.declared_seconds = info.duration_seconds;
    trouble.seconds = static_cast<double>(frames) / info.sample_rate;
    metadata["hash"] = hasher.hex();
    metadata["warnings"] = nlohmann::json(trouble.sentences()).dump();
    if (auto status = write_head(frames, false); !status) return status.error();
    if (auto status = out->commit(); !status) return status.error();
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
        const auto json = nlohmann::json::parse(metadata.at("warnings"), nullptr, false);
        if (json.is_array()) {
            for (const auto& entry : json) source.warnings_.push_back(entry.get<std::string>());
        }
    }
    source.samples_ = {reinterpret_cast<const float*>(sound->bytes.data()),
                       sound->bytes.size() / sizeof(float)};
    source.file_ = std::move(*file);
    return source;
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
