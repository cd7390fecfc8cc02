// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/putting_back.h"

#include "core/base/folders.h"
#include "core/delivery/export.h"

namespace rivlen {

std::filesystem::path suggested_put_back(const std::filesystem::path& picture) {
    return picture.parent_path() / (picture.stem().string() + " kept" + layback_ending(picture));
}

Result<LaybackReport> put_kept_back(const Source& source, const MaskMap& map, const TimedSettings& settings,
                                    const KeptUnderPicture& what, const JobControl& job) {
    const ScratchFile sound(what.work_folder, "put back", ".wav");
    auto kept = export_kept(source, map, settings, sound.path(), SoundFormat::WavFloat, job);
    if (!kept) return kept.error();
    LaybackPlan plan;
    plan.picture = what.picture;
    plan.sounds.push_back({sound.path()});
    plan.out = what.out;
    plan.overwrite = what.overwrite;
    return lay_back(plan, job);
}

}  // namespace rivlen
