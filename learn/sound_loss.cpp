#include "learn/sound_loss.h"

#include "core/split/bands.h"

namespace rivlen::learn {

namespace {

using torch::Tensor;

Tensor mid_of(const Stereo& sound) {
    const auto n = static_cast<std::int64_t>(sound[0].size());
    const auto left = torch::from_blob(const_cast<float*>(sound[0].data()), {n});   // NOLINT
    const auto right = torch::from_blob(const_cast<float*>(sound[1].data()), {n});  // NOLINT
    return 0.5F * (left + right);
}

Tensor magnitudes(const Tensor& sound, std::int64_t size) {
    const auto spectrum = torch::stft(sound, size, size / 4, size, torch::hann_window(size), true, "reflect",
                                      false, true, true);
    return (torch::view_as_real(spectrum).square().sum(-1) + 1e-10).sqrt();
}

}  // namespace

Tensor sound_loss(const Tensor& logits, const std::vector<Mix>& mixes, const std::string& kind) {
    const auto window = torch::hann_window(kModelFft).sqrt();
    const auto bins = torch::tensor(std::vector<std::int64_t>(band_of_bin().begin(), band_of_bin().end()));
    auto loss = torch::zeros({});
    for (std::size_t i = 0; i < mixes.size(); ++i) {
        const auto mix = mid_of(mixes[i].mix);
        std::vector<Tensor> parts;
        for (const auto& stem : mixes[i].stems) parts.push_back(mid_of(stem));
        const auto stems = torch::stack(parts);
        const auto masks = torch::softmax(logits[static_cast<std::int64_t>(i)], 0)
                               .index_select(2, bins)
                               .transpose(1, 2);  // [4, bins, frames]
        const auto spectrum = torch::stft(mix, kModelFft, kModelHop, kModelFft, window, true, "reflect", false,
                                          true, true);
        const auto frames = std::min(masks.size(2), spectrum.size(1));
        const auto cut = masks.narrow(2, 0, frames) * spectrum.narrow(1, 0, frames);
        const auto estimates =
            torch::istft(cut, kModelFft, kModelHop, kModelFft, window, true, false, true, mix.size(0));
        if (kind == "wave") {
            loss = loss + (estimates - stems).abs().sum() / (mix.abs().sum() + 1e-3);
            continue;
        }
        for (const std::int64_t size : {std::int64_t{512}, std::int64_t{8192}}) {
            const auto error = (magnitudes(estimates, size).sqrt() - magnitudes(stems, size).sqrt()).square();
            loss = loss + 0.5 * error.sum() / (magnitudes(mix, size).sum() + 1e-3);
        }
    }
    return loss / static_cast<double>(mixes.size());
}

}  // namespace rivlen::learn
