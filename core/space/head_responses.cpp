// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/space/head_responses.h"

#include <mysofa.h>

#include <algorithm>
#include <cmath>

namespace rivlen {

struct HeadResponses::State {
    struct Close {
        void operator()(MYSOFA_EASY* easy) const { mysofa_close(easy); }
    };
    std::unique_ptr<MYSOFA_EASY, Close> set;
    int sample_rate = 0;
    std::size_t length = 0;  // of a response without its delay
    std::size_t most_delay = 0;
};

HeadResponses::HeadResponses(std::unique_ptr<State> state) : state_(std::move(state)) {}
HeadResponses::HeadResponses(HeadResponses&&) noexcept = default;
HeadResponses& HeadResponses::operator=(HeadResponses&&) noexcept = default;
HeadResponses::~HeadResponses() = default;

std::filesystem::path HeadResponses::standard_set() {
    return "/usr/share/libmysofa/MIT_KEMAR_normal_pinna.sofa";
}

int HeadResponses::sample_rate() const {
    return state_->sample_rate;
}

namespace {

// Of the delays that a set states beside its responses, in seconds.
double longest_delay_seconds(const MYSOFA_HRTF& set) {
    double longest = 0;
    for (unsigned k = 0; k < set.DataDelay.elements; ++k)
        longest = std::max(longest, static_cast<double>(set.DataDelay.values[k]));
    return longest;
}

}  // namespace

Result<HeadResponses> HeadResponses::open(const std::filesystem::path& path, int sample_rate) {
    std::error_code error;
    if (!std::filesystem::is_regular_file(path, error))
        return make_error(
            ErrorKind::NotFound,
            "There is no file of head responses at \"{}\". Choose another, or the standard set.",
            path.string());
    int length = 0, failed = 0;
    auto state = std::make_unique<State>();
    state->set.reset(mysofa_open(path.c_str(), static_cast<float>(sample_rate), &length, &failed));
    if (!state->set || failed != MYSOFA_OK || length <= 0)
        return make_error(
            ErrorKind::BadInput,
            "\"{}\" holds no head responses that can be used (AES69, SimpleFreeFieldHRIR). Choose "
            "another file, or the standard set.",
            path.string());
    state->sample_rate = sample_rate;
    state->length = static_cast<std::size_t>(length);
    const double delay = longest_delay_seconds(*state->set->hrtf) * sample_rate;
    if (!(delay >= 0) || delay > sample_rate || length > sample_rate)
        return make_error(ErrorKind::BadInput,
                          "The head responses in \"{}\" are longer than a second. Choose another file.",
                          path.string());
    state->most_delay = static_cast<std::size_t>(std::ceil(delay)) + 1;
    return HeadResponses(std::move(state));
}

HeadResponses::Ears HeadResponses::at(Direction direction) const {
    const Vector3 from = unit_vector(direction);
    std::vector<float> left(state_->length), right(state_->length);
    float delay_left = 0, delay_right = 0;  // seconds
    mysofa_getfilter_float(state_->set.get(), static_cast<float>(from[0]), static_cast<float>(from[1]),
                           static_cast<float>(from[2]), left.data(), right.data(), &delay_left, &delay_right);
    const auto delayed = [this](std::vector<float> response, float seconds) {
        const auto frames = static_cast<std::size_t>(
            std::clamp<double>(std::round(static_cast<double>(seconds) * state_->sample_rate), 0,
                               static_cast<double>(state_->most_delay)));
        response.insert(response.begin(), frames, 0.0F);
        response.resize(state_->length + state_->most_delay);
        for (float& x : response) {
            if (!std::isfinite(x)) x = 0;
        }
        return response;
    };
    return {delayed(std::move(left), delay_left), delayed(std::move(right), delay_right)};
}

}  // namespace rivlen
