// SPDX-License-Identifier: GPL-3.0-or-later
// That nothing was lost: the stems of a version add up to its mix. Used by deliver().
#pragma once

#include <functional>
#include <memory>
#include <vector>

#include "core/delivery/deliver.h"

namespace rivlen {

// Stems that were delivered beside a mix of the same version, read back and added up. before_limiter: the mix
// that a row's version has before its limiter.
using BeforeLimiter = std::function<Result<std::shared_ptr<const ScratchSound>>(const HandoverRow& row)>;
[[nodiscard]] std::vector<SumProof> add_up(const std::vector<DeliveredRow>& rows,
                                           const BeforeLimiter& before_limiter);

}  // namespace rivlen
