// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/delivery/written_sound.h"

#include <algorithm>
#include <atomic>
#include <cerrno>
#include <cmath>
#include <cstring>
#include <memory>
#include <optional>
#include <random>

#include "core/base/markup.h"
#include "core/base/output_file.h"
#include "core/delivery/delivery_rows.h"
#include "core/dsp/interleave.h"
#include "core/media/coded_file.h"
#include "core/media/sndfile_output.h"

namespace rivlen {

namespace {

namespace fs = std::filesystem;

template <std::size_t N>
void put(char (&field)[N],
         const std::string& text) {  // NOLINT(cppcoreguidelines-avoid-c-arrays): libsndfile's
    std::memset(field, 0, N);
    std::memcpy(field, text.data(), std::min(N, text.size()));
}

// EBU Tech 3285 supplement on loudness: what was not measured is 0x7FFF, and no value may be that.
std::int16_t hundredths(Level value) {
    if (!value) return 0x7FFF;
    return static_cast<std::int16_t>(std::clamp(std::lround(*value * 100), -32768L, 32766L));
}

void put_chunk(SNDFILE* file, const char* id, std::span<const char> data) {
    SF_CHUNK_INFO chunk{};
    std::memcpy(chunk.id, id, 4);
    chunk.id_size = 4;
    chunk.datalen = static_cast<unsigned>(data.size());
    std::vector<char> kept(data.begin(), data.end());  // libsndfile copies it, and asks for what is not const
    chunk.data = kept.data();
    sf_set_chunk(file, &chunk);
}

void describe(SNDFILE* file, const SoundDescription& d, const ScratchSound& sound, Depth depth) {
    SF_BROADCAST_INFO info{};
    put(info.description, d.description);
    put(info.originator, "Rivlen");
    put(info.originator_reference, d.originator_reference);
    put(info.origination_date, d.date);
    put(info.origination_time, d.time);
    info.time_reference_low = static_cast<std::uint32_t>(d.time_reference_frames);
    info.time_reference_high = static_cast<std::uint32_t>(d.time_reference_frames >> 32U);
    std::ranges::copy(d.umid, std::begin(info.umid));
    info.version = 2;
    info.loudness_value = hundredths(d.integrated_lufs);
    info.loudness_range = hundredths(d.range_lu);
    info.max_true_peak_level = hundredths(d.true_peak_dbtp);
    info.max_momentary_loudness = hundredths(d.momentary_lufs);
    info.max_shortterm_loudness = hundredths(d.short_term_lufs);
    // libsndfile writes the line of the coding history (EBU R 98) itself.
    sf_command(file, SFC_SET_BROADCAST_INFO, &info, sizeof info);
    const std::string ixml = ixml_of(d, sound.sample_rate(), depth);
    put_chunk(file, "iXML", ixml);
    if (!d.adm) return;
    AdmFacts facts = *d.adm;
    facts.bits = bits_of(depth);
    const auto chna = chna_of(facts);
    put_chunk(file, "chna", chna);
    put_chunk(file, "axml", adm_xml(facts));
}

// What every kind of file can say of itself: the words that players show.
std::string loudness_words(const SoundDescription& d) {
    const std::string range = d.range_lu ? fmt::format(", range {:.1f} LU", *d.range_lu) : std::string();
    return fmt::format("{}{}, true peak {}, from {}", level_words(d.integrated_lufs, "LUFS"), range,
                       level_words(d.true_peak_dbtp, "dBTP"), d.start_timecode);
}

void describe_flac(SNDFILE* file, const SoundDescription& d) {
    sf_set_string(file, SF_STR_TITLE, d.description.c_str());
    sf_set_string(file, SF_STR_ALBUM, d.project.c_str());
    sf_set_string(file, SF_STR_DATE, d.date.c_str());
    sf_set_string(file, SF_STR_COMMENT, loudness_words(d).c_str());
    sf_set_string(file, SF_STR_SOFTWARE, "Rivlen");
}

Tags tags_of(Container container, const SoundDescription& d) {
    Tags tags = {{"title", d.description},
                 {"album", d.project},
                 {"date", d.date},
                 {"comment", loudness_words(d)},
                 {"encoded_by", "Rivlen"}};
    if (container == Container::Opus && d.integrated_lufs) {
        // RFC 7845, 5.2.1: what brings the track to -23 LUFS, in 1/256 dB.
        const long gain = std::lround((-23.0 - *d.integrated_lufs) * 256);
        tags.emplace_back("R128_TRACK_GAIN", std::to_string(std::clamp(gain, -32768L, 32767L)));
    }
    return tags;
}

Status write_with_sndfile(const ScratchSound& sound, Container container, Depth depth,
                          const SoundDescription& description, AnonymousFile& out, const fs::path& target,
                          const JobControl& job) {
    SF_INFO info{};
    info.samplerate = sound.sample_rate();
    info.channels = sound.channels();
    const bool wav = container == Container::Wav;
    info.format =
        (wav ? SF_FORMAT_RF64 : SF_FORMAT_FLAC) | (depth == Depth::Pcm16           ? SF_FORMAT_PCM_16
                                                   : depth == Depth::Pcm24 || !wav ? SF_FORMAT_PCM_24
                                                                                   : SF_FORMAT_FLOAT);
    if (sf_format_check(&info) == 0)
        return make_error(ErrorKind::Unsupported, "\"{}\" cannot hold {} channels at {} Hz. Choose WAV.",
                          target.string(), sound.channels(), sound.sample_rate());
    SndfileOutput file(out.fd());
    if (file.open(info) == nullptr) return write_error(target, file.error() != 0 ? file.error() : EIO);
    if (wav) {
        sf_command(file.get(), SFC_RF64_AUTO_DOWNGRADE, nullptr, SF_TRUE);
        describe(file.get(), description, sound, depth);
    } else {
        describe_flac(file.get(), description);
    }
    sf_command(file.get(), SFC_SET_CLIPPING, nullptr, SF_TRUE);
    std::minstd_rand random(612);  // the same sound gives the same file
    std::uniform_real_distribution<float> half(-0.5F, 0.5F);
    std::vector<float> interleaved;
    // Read on this thread, written on another.
    Status written;
    std::atomic<bool> failed{false};
    BlocksInBackground writing(
        sound.sample_rate(), static_cast<std::size_t>(sound.channels()), [&](const AudioBlock& block) {
            if (!written) return;
            const std::size_t frames = block.frames();
            interleave(block, interleaved);
            if (depth == Depth::Pcm16) {
                for (float& x : interleaved) x += (half(random) + half(random)) / 32768.0F;
            }
            if (sf_writef_float(file.get(), interleaved.data(), static_cast<sf_count_t>(frames)) !=
                static_cast<sf_count_t>(frames))
                written = write_error(target, file.error() != 0 ? file.error() : EIO);
            failed = !written.ok();
        });
    const Status status = sound.each(job, [&](std::int64_t, const AudioBlock& block) -> Status {
        writing.add(block);
        return failed ? JobControl::cancelled_error() : Status();
    });
    writing.finish();
    if (!written) return written;
    if (!status) return status;
    if (const int failed = file.close(); failed != 0) return write_error(target, failed);
    return {};
}

Status write_coded_sound(const ScratchSound& sound, Container container, const SoundDescription& description,
                         AnonymousFile& out, const fs::path& target, const JobControl& job) {
    const CodedSound as_read{sound.sample_rate(), sound.channels(), sound.frames(),
                             [&sound](std::int64_t at, std::int64_t count, AudioBlock& block) {
                                 block = AudioBlock(sound.sample_rate(),
                                                    static_cast<std::size_t>(sound.channels()));
                                 return sound.read(at, count, block);
                             }};
    return write_coded(as_read, *coded_kind(container), tags_of(container, description), out.fd(), target,
                       job);
}

}  // namespace

std::string umid_from(const std::string& hash) {
    // Material of a kind that is not identified; its number is a UUID, the instance is not numbered.
    constexpr std::array<unsigned char, 16> kHead = {0x06, 0x0A, 0x2B, 0x34, 0x01, 0x01, 0x01, 0x05,
                                                     0x01, 0x01, 0x0F, 0x20, 0x13, 0x00, 0x00, 0x00};
    std::string out(kHead.begin(), kHead.end());
    for (std::size_t i = 0; i + 1 < hash.size() && out.size() < 2 * kHead.size(); i += 2)
        out += static_cast<char>(std::stoi(hash.substr(i, 2), nullptr, 16));
    out.resize(2 * kHead.size());
    const auto set = [&out](std::size_t at, unsigned keep, unsigned bits) {
        out[at] = static_cast<char>((static_cast<unsigned char>(out[at]) & keep) | bits);
    };
    set(22, 0x0FU, 0x80U);  // version 8
    set(24, 0x3FU, 0x80U);  // variant of RFC 9562
    return out;
}

std::string ixml_of(const SoundDescription& d, int sample_rate, Depth depth) {
    std::string out = fmt::format(
        "<?xml version=\"1.0\" "
        "encoding=\"UTF-8\"?>\n<BWFXML>\n<IXML_VERSION>1.61</IXML_VERSION>\n<PROJECT>{}</PROJECT>\n"
        "<NOTE>{}</NOTE>\n<SPEED>\n<FILE_SAMPLE_RATE>{}</FILE_SAMPLE_RATE>\n<AUDIO_BIT_DEPTH>{}</"
        "AUDIO_BIT_DEPTH>\n"
        "<TIMECODE_RATE>{}</TIMECODE_RATE>\n<TIMECODE_FLAG>{}</"
        "TIMECODE_FLAG>\n<TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_HI>{}</"
        "TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_HI>\n"
        "<TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO>{}</TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO>\n</"
        "SPEED>\n<TRACK_LIST>\n"
        "<TRACK_COUNT>{}</TRACK_COUNT>\n",
        escaped_markup(d.project), escaped_markup(d.description), sample_rate, bits_of(depth),
        escaped_markup(d.timecode_rate), d.drop_frame ? "DF" : "NDF", d.time_reference_frames >> 32U,
        d.time_reference_frames & 0xFFFFFFFFU, d.track_names.size());
    for (std::size_t i = 0; i < d.track_names.size(); ++i)
        out += fmt::format(
            "<TRACK><CHANNEL_INDEX>{0}</CHANNEL_INDEX><INTERLEAVE_INDEX>{0}</INTERLEAVE_INDEX><NAME>{1}</"
            "NAME>"
            "</TRACK>\n",
            i + 1, escaped_markup(d.track_names[i]));
    return out + "</TRACK_LIST>\n</BWFXML>\n";
}

Status write_sound(const ScratchSound& sound, Container container, Depth depth,
                   const SoundDescription& description, const fs::path& target, bool replace,
                   const JobControl& job) {
    auto out = AnonymousFile::create(target.parent_path());
    if (!out) return out.error();
    const Status status = keeps_samples(container)
                              ? write_with_sndfile(sound, container, depth, description, *out, target, job)
                              : write_coded_sound(sound, container, description, *out, target, job);
    if (!status) return status;
    return out->publish(target, replace);
}

}  // namespace rivlen
