// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/strip_writer.h"

#include "core/project/timeline.h"

namespace rivlen::app {

namespace {

// Changes of one value that follow each other become one step.
QString merge_key(int strip, const StripLane& target) {
    return QString("strip %1 %2 %3 %4")
        .arg(strip)
        .arg(static_cast<int>(target.target))
        .arg(target.part)
        .arg(target.parameter);
}

}  // namespace

void StripWriter::set(int strip_id, const StripLane& target, double value) {
    const Strip* strip = document_.timeline().strip(strip_id);
    if (strip == nullptr) return;
    const bool has_line = find_lane(*strip, target) != nullptr;
    if (has_line && (strip_ != strip_id || !target_.same_target(target))) recorder_.reset();
    strip_ = strip_id;
    target_ = target;
    const QString key = merge_key(strip_id, target);
    document_.edit_timeline(tr("Change a level or setting"), key, [&](Timeline& r) {
        Strip& s = *r.strip(strip_id);
        if (has_line) {
            for (auto& line : s.lines) {
                if (line.same_target(target)) recorder_.write(line.points, player_.position(), value);
            }
            return;
        }
        set_base_value(s, target, value);
    });
}

// A line that was written by moving a control is thinned out when the control is let go or playing stops.
void StripWriter::finish() {
    if (recorder_.wrote_a_stretch()) {
        const Strip* strip = document_.timeline().strip(strip_);
        if (strip != nullptr) {
            const ValueRange range = range_of(*strip, target_);
            const QString key = merge_key(strip_, target_);
            document_.edit_timeline(tr("Write a line"), key, [&](Timeline& r) {
                for (auto& line : r.strip(strip_)->lines) {
                    if (line.same_target(target_))
                        recorder_.finish(line.points, (range.highest - range.lowest) / 400);
                }
            });
        }
    }
    recorder_.reset();
}

}  // namespace rivlen::app
