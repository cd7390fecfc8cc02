// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/follow/follower.h"

#include <dlfcn.h>

#include <array>

#include "core/base/folders.h"

namespace rivlen {

namespace fs = std::filesystem;

Result<std::unique_ptr<Follower>> load_follower(const fs::path& library) {
    const fs::path here = program_folder();
    const std::array<fs::path, 3> places = {here / "../" RIVLEN_LIBDIR "/rivlen/librivlen-follower.so",
                                            here / "../follower/librivlen-follower.so",
                                            here / "../../follower/librivlen-follower.so"};
    const fs::path found = library.empty() ? first_existing("RIVLEN_FOLLOWER", places) : library;
    if (found.empty())
        return make_error(ErrorKind::NotFound, "What follows the picture is missing. Install Rivlen again.");
    void* handle = ::dlopen(found.c_str(), RTLD_NOW | RTLD_LOCAL);  // stays open
    if (handle == nullptr)
        return make_error(ErrorKind::NotFound,
                          "What follows the picture cannot be opened ({}). Install Rivlen again.",
                          ::dlerror());
    void* entry = ::dlsym(handle, kFollowerEntry);
    auto follower = entry != nullptr ? reinterpret_cast<FollowerEntry>(entry)(kFollowerVersion) : nullptr;
    if (!follower)
        return make_error(ErrorKind::Mismatch, "\"{}\" does not belong to this Rivlen. Install Rivlen again.",
                          found.string());
    return follower;
}

}  // namespace rivlen
