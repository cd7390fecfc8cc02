// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/pulling.h"

#include <vector>

#include "app/widgets/text.h"
#include "core/workflow/takes.h"

namespace rivlen::app {

namespace {

struct Pulled {
    int clip = 0;
    std::filesystem::path file;
    std::int64_t frames = 0;
};

}  // namespace

void Pulling::pull_chosen(Pull pull) {
    const auto clips = selection_.clips();
    if (clips.empty()) return emit said(tr("Choose the clips that are to be pulled."), false);
    if (job_ != 0) return emit said(tr("Clips are being pulled already."), false);
    const auto plan = std::make_shared<const MixPlan>(document_.session(), document_.mix_media());
    const auto folder = takes_folder(document_.path(), document_.work_folder());
    job_ = jobs_.start_for<std::vector<Pulled>>(
        pull == Pull::Down ? tr("Pulling down") : tr("Pulling up"),
        [plan, clips, pull, folder,
         work = document_.work_folder()](const JobControl& job) -> Result<std::vector<Pulled>> {
            std::vector<Pulled> done;
            for (const int clip : clips) {
                const PlannedClip* planned = plan->clip(clip);
                if (planned == nullptr) continue;
                const auto file = pulled_name(folder, planned->clip.path, pull);
                const auto frames = write_pulled(*plan, clip, pull, file, work, job);
                if (!frames) return frames.error();
                done.push_back({clip, file, *frames});
            }
            return done;
        },
        [this, pull](const Result<std::vector<Pulled>>& done) {
            job_ = 0;
            if (!done)
                return emit said(text(done.error().message), done.error().kind != ErrorKind::Cancelled);
            document_.edit_timeline(pull == Pull::Down ? tr("Pull down") : tr("Pull up"), {},
                                    [&](Timeline& r) {
                                        for (const auto& pulled : *done)
                                            take_pulled(r, pulled.clip, pulled.file, pulled.frames);
                                    });
            emit said(tr("Pulled %1 by a thousandth, from the same timecode on: %n clip(s).", nullptr,
                         static_cast<int>(done->size()))
                          .arg(pull == Pull::Down ? tr("down") : tr("up")),
                      false);
        });
}

}  // namespace rivlen::app
