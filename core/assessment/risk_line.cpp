// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/assessment/risk_line.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <mutex>
#include <numeric>
#include <thread>

#include "core/assessment/tradeoff.h"
#include "core/base/guarded.h"

namespace rivlen {

namespace {

constexpr double kPieceSeconds = 20.0;
constexpr double kApartSeconds = 2.0;
constexpr float kLeastRisk = 0.05F;

}  // namespace

Result<RiskLine> measure_risk(const Source& source, const MaskMap& map, const TimedSettings& settings,
                              std::size_t stem, int workers, const JobControl& job) {
    const TimedMaskWeights weight_sets(settings);
    const auto rate = static_cast<double>(source.sample_rate());
    const auto total = static_cast<std::int64_t>(source.frames());
    const auto piece = static_cast<std::int64_t>(kPieceSeconds * rate);
    const std::int64_t pieces = (total + piece - 1) / piece;
    RiskLine line;
    line.risk.assign(
        static_cast<std::size_t>(std::ceil(static_cast<double>(total) / rate / RiskLine::kStepSeconds)),
        0.0F);
    std::atomic<std::int64_t> next{0};
    std::atomic<std::int64_t> done{0};
    Status failure;
    std::mutex mutex;  // steps at the seam of two pieces belong to both
    const auto work = [&] {
        for (std::int64_t p = next++; p < pieces && !job.cancelled(); p = next++) {
            auto assessment =
                Assessment::prepare(source, map, p * piece, std::min(total, (p + 1) * piece), job);
            if (!assessment) return;
            const auto risk = assessment->risk(weight_sets, stem);
            const std::lock_guard lock(mutex);
            for (std::size_t t = 0; t < risk.size(); ++t) {
                const double at =
                    static_cast<double>(assessment->first()) + static_cast<double>(t) * assessment->hop();
                const auto step = static_cast<std::size_t>(at / rate / RiskLine::kStepSeconds);
                if (step < line.risk.size()) line.risk[step] = std::max(line.risk[step], risk[t]);
            }
            job.report(static_cast<double>(++done) / static_cast<double>(pieces));
        }
    };
    {
        std::vector<std::jthread> threads;
        const auto run = [&] {
            const Status status = guarded([&]() -> Status {
                work();
                return {};
            });
            const std::lock_guard lock(mutex);
            if (!status) failure = status;
        };
        for (int w = 1; w < workers; ++w) threads.emplace_back(run);
        run();
    }
    if (job.cancelled()) return JobControl::cancelled_error();
    if (!failure) return failure.error();
    return line;
}

RiskLine with_doubt(const RiskLine& line, std::span<const float> doubt) {
    constexpr float kFrom = 0.5F, kFullDoubt = 0.5F;
    RiskLine out = line;
    for (std::size_t i = 0; i < std::min(out.risk.size(), doubt.size()); ++i)
        out.risk[i] = std::max(out.risk[i], kFullDoubt * (doubt[i] - kFrom) / (1 - kFrom));
    return out;
}

std::vector<RiskSpot> worst_spots(const RiskLine& line, std::size_t most) {
    std::vector<std::size_t> order(line.risk.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::ranges::stable_sort(order, std::greater{}, [&](std::size_t i) { return line.risk[i]; });
    std::vector<RiskSpot> spots;
    for (const std::size_t i : order) {
        if (spots.size() >= most || line.risk[i] < kLeastRisk) break;
        const double seconds = (static_cast<double>(i) + 0.5) * RiskLine::kStepSeconds;
        const bool free = std::ranges::none_of(
            spots, [&](const RiskSpot& s) { return std::abs(s.seconds - seconds) < kApartSeconds; });
        if (free) spots.push_back({seconds, line.risk[i]});
    }
    return spots;
}

}  // namespace rivlen
