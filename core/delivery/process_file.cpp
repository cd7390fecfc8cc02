// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/delivery/process_file.h"

#include <algorithm>
#include <chrono>

#include "core/base/output_file.h"
#include "core/dsp/denormals.h"
#include "core/effects/processor.h"

namespace rivlen {

namespace {
constexpr std::size_t kBlock = 4096;
}

Result<ProcessReport> process_file(const Source& source, std::span<const Insert> parts,
                                   const std::filesystem::path& file, SoundFormat format,
                                   const JobControl& job) {
    if (auto free = never_over(file, std::span(&source.original(), 1)); !free) return free.error();
    const FlushDenormals fast;
    const auto begun = std::chrono::steady_clock::now();
    const auto channels = static_cast<std::size_t>(source.channels());
    auto writer = SoundFileWriter::create(file, format, source.sample_rate(), source.channels());
    if (!writer) return writer.error();
    std::vector<Chain> chains;
    for (std::size_t pair = 0; pair < (channels + 1) / 2; ++pair)
        chains.emplace_back(parts, source.sample_rate());
    LoudnessMeter before(source.sample_rate(), source.channels());
    LoudnessMeter after(source.sample_rate(), source.channels());
    const std::int64_t latency = chains.front().latency();
    const auto total = static_cast<std::int64_t>(source.frames());
    AudioBlock in(source.sample_rate(), channels);
    AudioBlock out(source.sample_rate(), channels + channels % 2);
    for (std::int64_t at = 0; at < total + latency; at += kBlock) {
        if (job.cancelled()) return JobControl::cancelled_error();
        const auto count = static_cast<std::size_t>(std::min<std::int64_t>(kBlock, total + latency - at));
        out.resize(count);
        for (std::size_t c = 0; c < out.channels(); ++c) {
            source.read(static_cast<int>(std::min(c, channels - 1)), at, out[c]);
        }
        const auto inside = static_cast<std::size_t>(
            std::clamp<std::int64_t>(total - at, 0, static_cast<std::int64_t>(count)));
        const auto all = std::span<const std::vector<float>>(out).first(channels);
        in.clear();
        in.append(all, 0, inside);
        before.add(in);
        for (std::size_t pair = 0; pair < chains.size(); ++pair)
            chains[pair].process({out[2 * pair], out[2 * pair + 1]});
        // What comes out is later by the latency: its head is dropped.
        const auto drop = static_cast<std::size_t>(
            std::clamp<std::int64_t>(latency - at, 0, static_cast<std::int64_t>(count)));
        in.clear();
        in.append(all, drop, count - drop);
        after.add(in);
        if (auto status = writer->write(in); !status) return status.error();
        job.report(static_cast<double>(at) / static_cast<double>(total + latency));
    }
    ProcessReport report;
    report.over_full_scale = writer->over_full_scale();
    if (auto status = writer->commit(); !status) return status.error();
    report.before = before.result();
    report.after = after.result();
    report.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begun).count();
    report.times_real_time = source.seconds() / report.seconds;
    return report;
}

}  // namespace rivlen
