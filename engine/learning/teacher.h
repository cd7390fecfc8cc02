// SPDX-License-Identifier: GPL-3.0-or-later
// A model goes on learning with lessons (core/separation/teacher.h has the terms).
#pragma once

#include "core/separation/teacher.h"
#include "engine/network.h"

namespace rivlen {

// As teach() of core/separation/teacher.h, of a network that has been loaded from wish.model.
[[nodiscard]] Result<TeachingReport> teach_network(const LoadedNetwork& model, const TeachingWish& wish,
                                                   const JobControl& job);

}  // namespace rivlen
