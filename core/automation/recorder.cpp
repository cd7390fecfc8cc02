// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/automation/recorder.h"

namespace rivlen {

void AutomationRecorder::write(std::vector<Breakpoint>& points, std::int64_t frame, double value) {
    const bool goes_on = span_ && span_->last < frame;
    erase_points(points, goes_on ? span_->last + 1 : frame, frame);
    put_point(points, {frame, value});
    span_ = Span{goes_on ? span_->first : frame, frame};
}

void AutomationRecorder::finish(std::vector<Breakpoint>& points, double tolerance) {
    if (wrote_a_stretch()) {
        std::vector<Breakpoint> part;
        for (const auto& point : points) {
            if (point.frame >= span_->first && point.frame <= span_->last) part.push_back(point);
        }
        erase_points(points, span_->first, span_->last + 1);
        for (const auto& point : thinned(part, tolerance)) put_point(points, point);
    }
    reset();
}

}  // namespace rivlen
