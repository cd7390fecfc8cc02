// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/stretches.h"

#include <algorithm>

namespace rivlen {

namespace {

constexpr std::int64_t kSoonFrames = 1024;      // 11 s: soon there, and long enough for the next
constexpr std::int64_t kShortestFrames = 3072;  // 33 s: less is not worth beginning anew for

}  // namespace

Stretches::Stretches(const StretchWish& wish) : wish_(wish), at_(static_cast<std::size_t>(wish.workers)) {
    const std::int64_t wanted =
        std::clamp<std::int64_t>(wish.wanted_frame, 0, std::max<std::int64_t>(wish.frames - 1, 0));
    const std::int64_t start = wanted / wish.grid * wish.grid;
    std::int64_t from = start;
    if (wish.soon) {
        const std::int64_t length = wish.longest > 0 ? std::min(kSoonFrames, wish.longest) : kSoonFrames;
        from = std::min(wish.frames, start + rounded_up(length, wish.grid));
        add(start, from);
    }
    cut_evenly(from, wish.frames, false);
    cut_evenly(0, start, true);
}

void Stretches::add(std::int64_t first, std::int64_t last) {
    for (int group = 0; group < wish_.groups; ++group) waiting_.push_back({group, first, last});
}

void Stretches::cut_evenly(std::int64_t first, std::int64_t last, bool backwards) {
    const std::int64_t even = (last - first + wish_.workers - 1) / wish_.workers;
    // Below its context, a stretch would take longer than its share of one that is not cut.
    std::int64_t length = std::max({even, kShortestFrames, wish_.context});
    if (wish_.longest > 0) length = std::min(length, wish_.longest);
    length = rounded_up(length, wish_.grid);
    if (backwards) {
        // Every stretch begins on the grid, and so does what lies behind the last one.
        for (std::int64_t at = last; at > first; at -= length) add(std::max(first, at - length), at);
    } else {
        for (std::int64_t at = first; at < last; at += length) add(at, std::min(last, at + length));
    }
}

std::optional<Stretches::Piece> Stretches::part_of_another() {
    const auto left = [](const Piece& piece) { return piece.last - piece.first; };
    const auto most = std::ranges::max_element(at_, {}, left);
    // Both halves cost half the context more: below twice the context nothing is won.
    if (left(*most) <= 2 * std::max(wish_.context, kShortestFrames)) return {};
    const std::int64_t middle = rounded_up(most->first + left(*most) / 2, wish_.grid);
    if (middle >= most->last) return {};
    const Piece part{most->group, middle, most->last};
    most->last = middle;
    return part;
}

std::optional<Stretches::Stretch> Stretches::take(int worker) {
    const std::lock_guard lock(mutex_);
    auto& mine = at_[static_cast<std::size_t>(worker)];
    mine = {};
    if (!waiting_.empty()) {
        mine = waiting_.front();
        waiting_.pop_front();
    } else if (const auto part = part_of_another()) {
        mine = *part;
    } else {
        return {};
    }
    return Stretch{mine.group, mine.first};
}

std::int64_t Stretches::end_of(int worker) const {
    const std::lock_guard lock(mutex_);
    return at_[static_cast<std::size_t>(worker)].last;
}

std::int64_t Stretches::keep_until(int worker, std::int64_t until) {
    const std::lock_guard lock(mutex_);
    auto& mine = at_[static_cast<std::size_t>(worker)];
    mine.first = std::clamp(until, mine.first, mine.last);
    return mine.first;
}

}  // namespace rivlen
