// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/follow_acts.h"

#include "app/widgets/text.h"

namespace rivlen::app {

void FollowActs::follow(QRectF box, std::int64_t frame, double aspect) {
    const int strip = selection_.strip();
    if (job_ != 0) return emit said(tr("Something is followed already."), false);
    const auto range = range_to_follow(document_.timeline(), frame);
    if (!range || !document_.timeline().is_placed(strip))
        return emit said(tr("Choose a track that has a place, and put the playhead where the picture shows "
                            "what is followed."),
                         false);
    const PictureBox around{box.center().x(), box.center().y(), box.width(), box.height()};
    job_ = jobs_.start_for<Following>(
        tr("Following in the picture"),
        [range = *range, around](const JobControl& job) -> Result<Following> {
            const auto follower = load_follower();
            if (!follower) return follower.error();
            return follow_in_file(range.picture, range.first_seconds, range.last_seconds,
                                  range.frames_a_second, **follower, around, job);
        },
        [this, strip, range = *range, aspect](const Result<Following>& following) {
            job_ = 0;
            if (!following)
                return emit said(text(following.error().message),
                                 following.error().kind != ErrorKind::Cancelled);
            write(strip, range, *following, aspect);
        });
}

void FollowActs::write(int strip, const FollowedRange& range, const Following& following, double aspect) {
    std::vector<FollowedStretch> lost;
    document_.edit_timeline(tr("Follow in the picture"), {},
                            [&](Timeline& r) { lost = write_followed(r, strip, range, following, aspect); });
    const double seconds = range.last_seconds - range.first_seconds;
    if (lost.empty()) return emit said(tr("Followed for %1 s.").arg(seconds, 0, 'f', 1), false);
    double missing = 0;
    for (const auto& stretch : lost) missing += stretch.last_seconds - stretch.first_seconds;
    const Timeline& r = document_.timeline();
    const auto at =
        range.first + std::llround((lost.front().first_seconds - range.first_seconds) * r.sample_rate);
    emit said(tr("Followed for %1 s; it was lost for %2 s, longest from %3 on. Put the playhead behind it "
                 "and follow from there.")
                  .arg(seconds, 0, 'f', 1)
                  .arg(missing, 0, 'f', 1)
                  .arg(text(timecode_at(r, at))),
              false);
}

}  // namespace rivlen::app
