// SPDX-License-Identifier: GPL-3.0-or-later
// Real spherical harmonics in ACN order, N(n, |m|) P(n, |m|)(sin elevation) times cos(m azimuth) for m >= 0
// and sin(|m| azimuth) for m < 0, without the Condon-Shortley phase; SN3D: N^2 = (2 - [m = 0]) (n - |m|)! /
// (n + |m|)! (AmbiX: Nachbar, Zotter, Deleflie and Sontacchi, "ambiX - a suggested ambisonics format", 2011,
// eq. 3 and 4).
#pragma once

#include <cstddef>
#include <span>
#include <vector>

#include "core/space/direction.h"

namespace rivlen {

inline constexpr int kMostAmbisonicOrder = 5;

// Order n of a channel: its number is n^2 + n + m.
[[nodiscard]] int order_of_channel(std::size_t channel);
// What a source in a direction has in each channel; out: (order + 1)^2.
void spherical_harmonics(Direction direction, std::span<double> out);

// By which each order of a point's harmonics is multiplied so that it fills a cap of the sphere evenly,
// half_angle 0 to 180 degrees from its middle to its edge: the mean of P(n) over the cap, (P(n-1)(cos a) -
// P(n+1)(cos a)) / ((2n + 1) (1 - cos a)).
[[nodiscard]] std::vector<double> cap_weights(int order, double half_angle_deg);

// By which each order is multiplied so that the energy vector of a decoded source is as long as can be:
// P(n)(cos (137.9 degrees / (order + 1.51))) (Zotter and Frank, "All-round ambisonic panning and decoding",
// JAES 60, 2012).
[[nodiscard]] std::vector<double> max_re_weights(int order);

// P(n)(x).
[[nodiscard]] double legendre(int n, double x);

}  // namespace rivlen
