// Where Rivlen keeps working copies and maps: $RIVLEN_WORK, else $XDG_CACHE_HOME/rivlen, else
// ~/.cache/rivlen.
#pragma once

#include <filesystem>

namespace rivlen {

[[nodiscard]] std::filesystem::path default_work_folder();

}  // namespace rivlen
