// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/chain_preset.h"

#include "core/base/json_text.h"
#include "core/base/output_file.h"
#include "core/project/json_reading.h"
#include "core/project/timeline_json.h"

namespace rivlen {

namespace {
constexpr int kChainPresetVersion = 1;
using nlohmann::json;
}  // namespace

Status save_chain_preset(const ChainPreset& preset, const std::filesystem::path& path) {
    const json out = {{"rivlen_chain", kChainPresetVersion},
                      {"name", preset.name},
                      {"note", preset.note},
                      {"chain", chain_to_json(preset.parts)}};
    return write_text_file(path, out.dump(2, ' ', false, json::error_handler_t::replace) + "\n");
}

Result<ChainPreset> load_chain_preset(const std::filesystem::path& path) {
    auto content = read_text_file(path);
    if (!content) return content.error();
    const json value = parse_json(*content);
    if (!value.is_object() || !value.contains("rivlen_chain") || !value["rivlen_chain"].is_number_integer())
        return make_error(ErrorKind::BadInput,
                          "\"{}\" is not a chain, or it is damaged. Choose another file.", path.string());
    if (value["rivlen_chain"].get<int>() > kChainPresetVersion)
        return make_error(ErrorKind::Unsupported,
                          "\"{}\" was made by a newer Rivlen. Update Rivlen to use it.", path.string());
    ChainPreset preset{json_reading::text(value, "name"), json_reading::text(value, "note"),
                       chain_from_json(json_reading::part(value, "chain"))};
    int id = 0;
    for (auto& part : preset.parts) part.id = ++id;
    return preset;
}

}  // namespace rivlen
