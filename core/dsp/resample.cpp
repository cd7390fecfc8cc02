// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/dsp/resample.h"

#include <soxr.h>

#include <cmath>

namespace rivlen {

struct Resampler::State {
    struct Deleter {
        void operator()(soxr* handle) const { soxr_delete(handle); }
    };
    std::unique_ptr<soxr, Deleter> handle;
    double ratio = 1.0;
};

Resampler::Resampler(std::unique_ptr<State> state) : state_(std::move(state)) {}
Resampler::Resampler(Resampler&&) noexcept = default;
Resampler& Resampler::operator=(Resampler&&) noexcept = default;
Resampler::~Resampler() = default;

Result<Resampler> Resampler::create(double rate_in, double rate_out, ResampleQuality wanted) {
    auto state = std::make_unique<State>();
    soxr_error_t error = nullptr;
    const auto io = soxr_io_spec(SOXR_FLOAT32_I, SOXR_FLOAT32_I);
    const auto quality = soxr_quality_spec(wanted == ResampleQuality::VeryHigh ? SOXR_VHQ : SOXR_HQ, 0);
    const auto runtime = soxr_runtime_spec(1);
    state->handle.reset(soxr_create(rate_in, rate_out, 1, &error, &io, &quality, &runtime));
    if (error != nullptr) {
        return make_error(ErrorKind::Internal, "Cannot convert {} Hz to {} Hz: {}.", rate_in, rate_out,
                          error);
    }
    state->ratio = rate_out / rate_in;
    return Resampler(std::move(state));
}

void Resampler::process(std::span<const float> in, bool last, std::vector<float>& out) {
    constexpr std::size_t kBlock = 1 << 16;
    while (true) {
        const std::size_t start = out.size();
        const auto room =
            static_cast<std::size_t>(static_cast<double>(std::min(in.size(), kBlock)) * state_->ratio) + 4096;
        out.resize(start + room);
        std::size_t used = 0;
        std::size_t made = 0;
        if (!in.empty()) {
            soxr_process(state_->handle.get(), in.data(), std::min(in.size(), kBlock), &used,
                         out.data() + start, room, &made);
            in = in.subspan(used);
        } else if (last) {
            soxr_process(state_->handle.get(), nullptr, 0, nullptr, out.data() + start, room, &made);
        }
        out.resize(start + made);
        if (in.empty() && (!last || (used == 0 && made < room))) return;
    }
}

std::vector<float> resample(std::span<const float> in, double rate_in, double rate_out,
                            ResampleQuality quality) {
    if (rate_in == rate_out) return {in.begin(), in.end()};
    std::vector<float> out;
    auto resampler = Resampler::create(rate_in, rate_out, quality);
    if (!resampler) return out;
    resampler->process(in, true, out);
    out.resize(static_cast<std::size_t>(std::llround(static_cast<double>(in.size()) * rate_out / rate_in)),
               0.0F);
    return out;
}

}  // namespace rivlen
