// SPDX-License-Identifier: GPL-3.0-or-later
// Sound in place of a gap, going on from what lies before and behind it: tones keep their phases, noise its
// spectrum and level.
//
// Each side is modelled as an autoregressive process (Burg's method: J. P. Burg, "Maximum entropy spectral
// analysis", 1967, in the form of Kay, "Modern spectral estimation", 1988, section 7.6) and goes on from its
// last samples, excited by its own prediction error played backwards, brought to the middle level of that, so
// that a word in it counts little. The two go over into one another at constant power, whatever they have in
// common (M. Fink, M. Holters, U. Zoelzer, "Signal-matched power-complementary cross-fading and dry-wet
// mixing", DAFx 2016). That extrapolation by long autoregressive models bridges gaps is from I. Kauppinen, K.
// Roth, "Audio signal extrapolation - theory and applications", DAFx 2002 (years from memory).
#pragma once

#include <cstddef>
#include <span>
#include <vector>

namespace rivlen {

// a[0] = 1, a[1] to a[order], of x[n] = e[n] - a[1] x[n - 1] - ...; all poles lie inside the unit circle.
// signal: longer than twice the order. Silence gives a[0] alone not 0.
[[nodiscard]] std::vector<double> burg_coefficients(std::span<const float> signal, std::size_t order);

// What follows a signal, `count` samples. Silence is followed by silence.
[[nodiscard]] std::vector<float> continued(std::span<const float> signal, std::size_t count,
                                           std::size_t order);

// `count` samples between two signals, either of which may be empty. The order is at most a third of each.
[[nodiscard]] std::vector<float> bridged(std::span<const float> before, std::span<const float> behind,
                                         std::size_t count, std::size_t order);

}  // namespace rivlen
