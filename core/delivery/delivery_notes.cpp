// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/delivery/delivery_notes.h"

#include <cmath>
#include <nlohmann/json.hpp>

#include "core/base/hash.h"
#include "core/base/json_text.h"
#include "core/base/output_file.h"
#include "core/delivery/delivery_proof.h"
#include "core/project/json_reading.h"

namespace rivlen {

namespace fs = std::filesystem;
using nlohmann::json;

namespace {

constexpr double kMostDb = 200;

json figures_of(const DeliveredRow& row) {
    json out = {{"gain_db", row.gain_db}, {"limited_db", row.limited_db}};
    if (row.difference_db) out["coded_difference_db"] = *row.difference_db;
    if (!row.reduction_by_second.empty()) out["reduction_by_second_db"] = row.reduction_by_second;
    if (row.spoken) {
        json ranges = json::array();
        for (const auto& range : row.spoken->ranges) ranges.push_back({range.first, range.last});
        out["spoken"] = {
            {"ranges", ranges}, {"sample_rate", row.spoken->sample_rate}, {"share", row.spoken->share}};
    }
    return out;
}

void fill_in(const json& kept, DeliveredRow& row) {
    using json_reading::number, json_reading::part;
    if (!kept.is_object()) return;
    row.gain_db = number(kept, "gain_db", -kMostDb, kMostDb, 0);
    row.limited_db = number(kept, "limited_db", -kMostDb, 0, 0);
    if (part(kept, "coded_difference_db").is_number())
        row.difference_db = number(kept, "coded_difference_db", -kMostDb, kMostDb, 0);
    for (const auto& value : part(kept, "reduction_by_second_db")) {
        if (value.is_number()) row.reduction_by_second.push_back(value.get<float>());
    }
    const json& spoken = part(kept, "spoken");
    if (!spoken.is_object()) return;
    SpokenParts parts{
        {}, static_cast<int>(number(spoken, "sample_rate", 1, 1e6, 48000)), number(spoken, "share", 0, 1, 0)};
    for (const auto& range : part(spoken, "ranges")) {
        if (range.is_array() && range.size() == 2 && range[0].is_number_integer() &&
            range[1].is_number_integer())
            parts.ranges.push_back({range[0].get<std::int64_t>(), range[1].get<std::int64_t>()});
    }
    row.spoken = std::make_shared<const SpokenParts>(std::move(parts));
}

}  // namespace

fs::path DeliveryNotes::place(const fs::path& file, const char* ending) const {
    return folder_ / kFolder / (hash_hex(file.filename().string()) + ending);
}

bool DeliveryNotes::knows(const fs::path& file, const std::string& made_from,
                          std::span<DeliveredRow> rows) const {
    std::error_code error;
    if (!fs::exists(file, error)) return false;
    const auto text = read_text_file(place(file, ".json"));
    if (!text) return false;
    const json note = parse_json(*text);
    if (!note.is_object() || json_reading::text(note, "made_from") != made_from) return false;
    const std::string checksum = file_checksum(file);
    if (checksum.empty() || json_reading::text(note, "checksum") != checksum) return false;
    const json& kept = json_reading::part(note, "rows");
    for (std::size_t i = 0; i < rows.size() && kept.is_array() && i < kept.size(); ++i)
        fill_in(kept[i], rows[i]);
    return true;
}

Status DeliveryNotes::keep(const fs::path& file, const std::string& made_from,
                           std::span<const DeliveredRow> rows) const {
    std::error_code error;  // told of by the writing
    fs::create_directories(folder_ / kFolder, error);
    json note = {{"file", file.filename().string()},
                 {"made_from", made_from},
                 {"checksum", rows[0].checksum},
                 {"rows", json::array()}};
    for (const auto& row : rows) note["rows"].push_back(figures_of(row));
    return write_text_file(place(file, ".json"),
                           note.dump(2, ' ', false, json::error_handler_t::replace) + "\n");
}

Status DeliveryNotes::begin(const fs::path& file, const std::string& made_from) const {
    std::error_code error;  // told of by the writing
    fs::create_directories(folder_ / kFolder, error);
    return write_text_file(place(file, ".begun"), made_from);
}

bool DeliveryNotes::broken_off(const fs::path& file, const std::string& made_from) const {
    const fs::path note = place(file, ".begun");
    const auto begun_from = read_text_file(note);
    if (!begun_from || *begun_from != made_from) return false;
    std::error_code error;
    const auto begun = fs::last_write_time(note, error);
    return !error && fs::last_write_time(file, error) >= begun && !error;
}

void DeliveryNotes::forget_begun(const fs::path& file) const {
    std::error_code ignored;
    fs::remove(place(file, ".begun"), ignored);
}

}  // namespace rivlen
