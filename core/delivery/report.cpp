// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/delivery/report.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <nlohmann/json.hpp>

#include "core/base/markup.h"
#include "core/base/output_file.h"

namespace rivlen {

namespace {

using nlohmann::json;
constexpr std::array<const char*, 3> kAgainst = {"mix", "mix, with the limiter file",
                                                 "mix before its limiter"};
constexpr std::array<const char*, 4> kStates = {"delivered", "delivered before", "failed", "stopped"};

const char* state_of(const DeliveredRow& row) {
    return kStates[static_cast<std::size_t>(row.state)];
}

bool there(const DeliveredRow& row) {
    return row.state == RowState::Done || row.state == RowState::Skipped;
}

// No number where there is nothing to measure.
std::string level(Level value, const char* unit) {
    return value ? level_words(value, unit) : std::string("&ndash;");
}
std::string csv_level(Level value) {
    return value ? fmt::format("{:.2f}", *value) : std::string();
}

// What the target asks for, as it was measured.
std::string loudness_words(const DeliveredRow& row) {
    if (!is_anchor(row.spoken.get())) return level(row.course.loudness.integrated_lufs, "LUFS");
    return fmt::format("{}<br>of its speech ({:.0f} %)", level(row.gated_lufs, "LUFS"),
                       100 * row.spoken->share);
}

std::string kind_words(const DeliveredRow& row) {
    if (row.difference_db) return fmt::format(" (differs by {:.0f} dB)", *row.difference_db);
    if (row.asked.container != Container::Wav) return {};
    return row.asked.depth == Depth::Float32 ? " float" : fmt::format(" {} bit", bits_of(row.asked.depth));
}

// To a tenth.
json rounded(std::span<const float> values) {
    json out = json::array();
    for (const float value : values) out.push_back(std::round(static_cast<double>(value) * 10) / 10);
    return out;
}

std::string length_words(const DeliveredRow& row) {
    const double seconds = row.sample_rate > 0 ? static_cast<double>(row.frames) / row.sample_rate : 0;
    const int minutes = static_cast<int>(seconds) / 60;
    return fmt::format("{}:{:06.3f}", minutes, seconds - 60.0 * minutes);
}

constexpr int kWidth = 860;

// What the limiter took, as an area that hangs from a line: 12 dB are its height.
std::string limiter_drawing(std::span<const float> reduction_db, int top, int height) {
    constexpr double kDeepestDb = 12;
    std::string area = fmt::format("M0 {}", top);
    const double step = static_cast<double>(kWidth) / static_cast<double>(reduction_db.size());
    for (std::size_t i = 0; i < reduction_db.size(); ++i) {
        const double depth = std::clamp(static_cast<double>(-reduction_db[i]) / kDeepestDb, 0.0, 1.0);
        area += fmt::format("L{:.1f} {:.1f}H{:.1f}", step * static_cast<double>(i), top + height * depth,
                            step * static_cast<double>(i + 1));
    }
    return fmt::format("<path fill=\"#9a3b10\" d=\"{}V{}Z\"/>", area, top);
}

// Short-term loudness as a line, peaks as bars, from -60 to 0; under them what the limiter took.
std::string drawing(const DeliveredRow& row, Level target_lufs) {
    constexpr int kHeight = 110;
    constexpr int kLimiterHeight = 24, kBetween = 4;
    const bool is_limited = row.limited_db < 0 && !row.reduction_by_second.empty();
    constexpr std::size_t kMostPoints = 430;
    const auto& c = row.course;
    if (c.short_term_lufs.size() < 2) return {};
    const auto y = [](double db) { return kHeight * std::clamp(-db / 60.0, 0.0, 1.0); };
    const std::size_t step = (c.short_term_lufs.size() + kMostPoints - 1) / kMostPoints;
    const std::size_t points = (c.short_term_lufs.size() + step - 1) / step;
    const auto x = [&](std::size_t i) {
        return kWidth * static_cast<double>(i) / static_cast<double>(points);
    };
    std::string bars;
    std::string line;
    for (std::size_t i = 0; i < points; ++i) {
        double loud = -120;
        double peak = -120;
        for (std::size_t k = i * step; k < std::min(c.short_term_lufs.size(), (i + 1) * step); ++k) {
            loud = std::max(loud, static_cast<double>(c.short_term_lufs[k]));
            peak = std::max(peak, static_cast<double>(c.peak_dbfs[k]));
        }
        bars +=
            fmt::format("<rect x=\"{:.1f}\" y=\"{:.1f}\" width=\"{:.1f}\" height=\"{:.1f}\"/>", x(i), y(peak),
                        static_cast<double>(kWidth) / static_cast<double>(points) * 0.8, kHeight - y(peak));
        line += fmt::format("{}{:.1f} {:.1f}", i == 0 ? "M" : "L", x(i), y(loud));
    }
    std::string out = fmt::format(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 {} {}\" role=\"img\" aria-label=\"Peaks and "
        "short-term loudness of {}\">"
        "<g fill=\"#b9c0c4\">{}</g><path fill=\"none\" stroke=\"#3c5a14\" stroke-width=\"1.5\" d=\"{}\"/>",
        kWidth, kHeight + (is_limited ? kBetween + kLimiterHeight : 0),
        escaped_markup(row.path.filename().string()), bars, line);
    if (is_limited) out += limiter_drawing(row.reduction_by_second, kHeight + kBetween, kLimiterHeight);
    if (target_lufs)
        out += fmt::format(
            "<line stroke=\"#9a3b10\" stroke-dasharray=\"5 4\" x1=\"0\" x2=\"{}\" y1=\"{:.1f}\" "
            "y2=\"{:.1f}\"/>",
            kWidth, y(*target_lufs), y(*target_lufs));
    return out + "</svg>";
}

}  // namespace

std::string report_to_json(const DeliveryReport& report) {
    json out = {{"rivlen_report", 1},
                {"name", report.name},
                {"rows", json::array()},
                {"sums", json::array()},
                {"notes", json::array()}};
    for (const auto& r : report.rows) {
        const auto& l = r.course.loudness;
        out["rows"].push_back(
            {{"row", r.row + 1},
             {"file", r.path.filename().string()},
             {"state", state_of(r)},
             {"content", key_of(r.asked.content)},
             {"version", r.asked.version},
             {"card", r.asked.card},
             {"target", r.asked.target},
             {"container", key_of(r.asked.container)},
             {"depth", key_of(r.asked.depth)},
             {"sample_rate_hz", r.sample_rate},
             {"channels", r.channels},
             {"frames", r.frames},
             {"bytes", r.bytes},
             {"checksum_xxh3", r.checksum},
             {"gain_db", level_json(r.gain_db)},
             {"limited_db", level_json(r.limited_db)},
             {"limited_by_second_db", rounded(r.reduction_by_second)},
             {"measured_lufs", level_json(r.gated_lufs)},
             {"measured", is_anchor(r.spoken.get()) ? "speech" : "programme"},
             {"speech_percent", r.spoken ? json(std::lround(100 * r.spoken->share)) : json()},
             {"coded_difference_db", level_json(r.difference_db)},
             {"integrated_lufs", level_json(l.integrated_lufs)},
             {"loudness_range_lu", level_json(l.range_lu)},
             {"true_peak_dbtp", level_json(l.true_peak_dbtp)},
             {"highest_momentary_lufs", level_json(r.course.highest_momentary_lufs)},
             {"highest_short_term_lufs", level_json(r.course.highest_short_term_lufs)},
             {"on_target", r.on_target},
             {"note", r.sentence}});
    }
    for (const auto& s : report.sums)
        out["sums"].push_back({{"version", s.version},
                               {"target", s.target},
                               {"channels", s.channels.empty() ? "stereo" : s.channels},
                               {"against", kAgainst[static_cast<std::size_t>(s.against)]},
                               {"stems_less_mix_dbfs", level_json(s.peak_dbfs)}});
    for (const auto& f : report.figures)
        out["figures"].push_back({{"recording", f.recording},
                                  {"stem", kSoundNames[f.sound]},
                                  {"leak_db", level_json(f.bleed_db)},
                                  {"damage", f.damage}});
    for (const auto& t : report.issues)
        out["notes"].push_back({{"row", t.row + 1}, {"error", t.error}, {"sentence", t.sentence}});
    return out.dump(2, ' ', false, json::error_handler_t::replace) + "\n";
}

std::string report_to_csv(const DeliveryReport& report) {
    std::string out =
        "row,file,state,content,version,target,container,depth,sample_rate_hz,channels,frames,gain_db,"
        "limited_db,measured,measured_lufs,coded_difference_db,"
        "integrated_lufs,loudness_range_lu,true_peak_dbtp,on_target,checksum_xxh3,note\r\n";
    for (const auto& r : report.rows) {
        const auto& l = r.course.loudness;
        out += fmt::format(
            "{},{},{},{},{},{},{},{},{},{},{},{:.2f},{:.2f},{},{},{},{},{:.2f},{},{},{},{}\r\n", r.row + 1,
            csv_field(r.path.filename().string()), state_of(r), key_of(r.asked.content),
            csv_field(r.asked.version), csv_field(r.asked.target), key_of(r.asked.container),
            key_of(r.asked.depth), r.sample_rate, r.channels, r.frames, r.gain_db, r.limited_db,
            is_anchor(r.spoken.get()) ? "speech" : "programme", csv_level(r.gated_lufs),
            csv_level(r.difference_db), csv_level(l.integrated_lufs), l.range_lu, csv_level(l.true_peak_dbtp),
            r.on_target ? "yes" : "no", r.checksum, csv_field(r.sentence));
    }
    return out;
}

namespace {

// A file's name and state over the whole width, its figures below.
std::string file_rows(const DeliveredRow& r) {
    const auto& l = r.course.loudness;
    return fmt::format(
        "<tr><td colspan=\"6\" class=\"name\"><b>{}</b><br>{}{}{}, {}{} at {} kHz, "
        "<span{}>{}{}{}</span></td></tr>\n"
        "<tr><td class=\"n\">{}</td><td class=\"n\">{}</td><td class=\"n\">{}</td>"
        "<td class=\"n\">{}</td><td class=\"n\">{:+.1f} dB</td><td class=\"n\">{:.1f} dB</td></tr>\n",
        escaped_markup(r.path.filename().string()), label_of(r.asked.content),
        r.asked.version.empty() ? "" : ", ", escaped_markup(r.asked.version), label_of(r.asked.container),
        kind_words(r), static_cast<double>(r.sample_rate) / 1000,
        there(r) && r.on_target ? "" : " class=\"bad\"", state_of(r), r.sentence.empty() ? "" : ": ",
        escaped_markup(r.sentence), length_words(r), loudness_words(r),
        level(l.integrated_lufs ? Level(l.range_lu) : Level(), "LU"), level(l.true_peak_dbtp, "dBTP"),
        r.gain_db, r.limited_db);
}

}  // namespace

std::string report_to_html(const DeliveryReport& report, const HandoverTemplate& table) {
    std::string out = fmt::format(
        "<!DOCTYPE html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>{0}: what was "
        "delivered</title>\n<style>\n"
        "body{{font:15px/1.5 sans-serif;max-width:1000px;margin:2em auto;padding:0 "
        "1em;color:#1d2124;background:#fff}}\n"
        "table{{border-collapse:collapse;width:100%;font-size:13px}}th,td{{text-align:left;padding:4px 10px "
        "4px 0;"
        "border-bottom:1px solid "
        "#ccd0d3;vertical-align:top}}td.name{{border-bottom:none}}td.n,th.n{{text-align:right;white-space:"
        "nowrap;font-variant-numeric:"
        "tabular-nums}}\n"
        ".bad{{color:#9a3b10;font-weight:bold}}.dim{{color:#5a6165}}svg{{width:100%;background:#f2f3f0}}\n"
        "</style></head><body>\n<h1>{0}</h1>\n",
        escaped_markup(report.name));
    const auto done = std::ranges::count_if(report.rows, there);
    out += fmt::format(
        "<p>{} of {} files were delivered. Each was read back after writing: its length, loudness and peaks "
        "below are those of the file itself.</p>\n",
        done, report.rows.size());
    out +=
        "<table><tr><th class=\"n\">Length</th><th class=\"n\">Loudness</th><th class=\"n\">Range</th>"
        "<th class=\"n\">True peak</th><th class=\"n\">Gain</th><th class=\"n\">Limited</th></tr>\n";
    for (const auto& r : report.rows) out += file_rows(r);
    out += "</table>\n<h2>Targets</h2>\n<ul>\n";
    std::vector<std::string> named;
    for (const auto& row : table.rows) {
        const auto* t = find_target(table.targets, row.target);
        if (t == nullptr || std::ranges::find(named, t->key) != named.end()) continue;
        named.push_back(t->key);
        out += fmt::format(
            "<li>{}: {:.1f} LUFS &plusmn; {:.1f} LU {}{}, true peak at most {:.1f} dBTP ({})</li>\n",
            escaped_markup(t->name), t->integrated_lufs, t->tolerance_lu,
            t->gate == LoudnessGate::Dialogue ? "where somebody speaks" : "over all of it",
            t->short_term_lufs ? fmt::format(", at most {:.1f} LUFS over 3 s", *t->short_term_lufs) : "",
            t->true_peak_dbtp, escaped_markup(source_of(*t)));
    }
    if (named.empty()) out += "<li>None: everything is as loud as it was mixed.</li>\n";
    out += "</ul>\n<h2>Nothing was lost</h2>\n";
    if (report.sums.empty())
        out +=
            "<p class=\"dim\">Stems and mix of one version were not delivered together, so that they could "
            "not be added up.</p>\n";
    for (const auto& s : report.sums)
        out += fmt::format(
            "<p>The {}stems{}{}{}, read back and added up, differ from {} by {} at most{}.</p>\n",
            s.channels.empty() ? "" : s.channels + " ", s.version.empty() ? "" : " of ",
            escaped_markup(s.version),
            s.against == SumAgainst::MixWithLimiterFile ? " and what limiter and buses did" : "",
            s.against == SumAgainst::BeforeLimiter ? "their mix before its limiter" : "their mix",
            s.peak_dbfs ? fmt::format("{:.0f} dBFS", *s.peak_dbfs) : std::string("nothing"),
            s.peak_dbfs.value_or(-HUGE_VAL) > -80 ? ", because the mix went through its buses&rsquo; chains "
                                                    "as one. A row of &ldquo;Limiter and "
                                                    "buses&rdquo; delivers the difference"
                                                  : "");
    if (!report.figures.empty()) {
        out +=
            "<h2>How cleanly it was taken apart</h2>\n<p class=\"dim\">With the settings as tuned, over a "
            "minute from the middle. Leak: "
            "level of what belongs to other stems. Damage: 0 to 100, how much of the stem itself is missing "
            "or flickers.</p>\n"
            "<table><tr><th>Recording</th><th>Stem</th><th class=\"n\">Leak</th><th "
            "class=\"n\">Damage</th></tr>\n";
        for (const auto& f : report.figures)
            out += fmt::format(
                "<tr><td>{}</td><td>{}</td><td class=\"n\">{}</td><td class=\"n\">{:.0f}</td></tr>\n",
                escaped_markup(f.recording), kSoundNames[f.sound], level(f.bleed_db, "dB"), f.damage);
        out += "</table>\n";
    }
    if (!report.before_picture.empty() && !report.after_picture.empty())
        out += fmt::format(
            "<h2>Before and after</h2>\n<p class=\"dim\">From 40 Hz at the bottom to 16 kHz, over the whole "
            "length: the "
            "recording, then the mix that was delivered.</p>\n<p><img src=\"{}\" alt=\"Spectrogram of the "
            "recording\" width=\"600\" height=\"120\"></p>\n<p><img src=\"{}\" alt=\"Spectrogram of the "
            "mix\" "
            "width=\"600\" height=\"120\"></p>\n",
            report.before_picture, report.after_picture);
    out +=
        "<h2>Over time</h2>\n<p class=\"dim\">Grey: highest peak of each moment. Green: short-term "
        "loudness. Dashed: the "
        "target. From 0 dB at the top to -60 dB. Red below: what the limiter took, 12 dB over its "
        "height.</p>\n";
    for (const auto& r : report.rows) {
        if (!there(r)) continue;
        const auto* t = find_target(table.targets, r.asked.target);
        // Stems have no target of their own.
        const bool aims = t != nullptr && r.asked.content == Content::Mix;
        const auto svg = drawing(r, aims ? Level(t->integrated_lufs) : std::nullopt);
        if (!svg.empty())
            out += fmt::format("<h3>{} <span class=\"dim\">0:00 to {}</span></h3>\n{}\n",
                               escaped_markup(r.path.filename().string()), length_words(r), svg);
    }
    out +=
        "<h2>Checksums</h2>\n<table><tr><th>File, XXH3 of 128 bit</th><th "
        "class=\"n\">Samples</th></tr>\n";
    for (const auto& r : report.rows) {
        if (there(r))
            out +=
                fmt::format("<tr><td>{}<br><span class=\"dim\">{}</span></td><td class=\"n\">{}</td></tr>\n",
                            escaped_markup(r.path.filename().string()), r.checksum, r.frames);
    }
    out += "</table>\n";
    if (!report.issues.empty()) {
        out += "<h2>Noted before</h2>\n<ul>\n";
        for (const auto& t : report.issues)
            out += fmt::format("<li>{}{}</li>\n", t.row >= 0 ? fmt::format("Row {}: ", t.row + 1) : "",
                               escaped_markup(t.sentence));
        out += "</ul>\n";
    }
    return out + "</body></html>\n";
}

std::filesystem::path report_page(const std::string& name, const std::filesystem::path& folder) {
    return folder / (file_part(name) + " report.html");
}

Status write_reports(const DeliveryReport& report, const HandoverTemplate& table,
                     const std::filesystem::path& folder) {
    const auto page = report_page(report.name, folder);
    // A run that found everything as it was has nothing to add to the reports that are there.
    const bool all_skipped = std::ranges::all_of(
        report.rows, [](const DeliveredRow& row) { return row.state == RowState::Skipped; });
    const auto write = [&](const char* extension, const std::string& content) -> Status {
        auto file = page;
        file.replace_extension(extension);
        std::error_code missing;
        if (all_skipped && std::filesystem::exists(file, missing)) return {};
        return write_beside_earlier(file, content);
    };
    if (auto s = write(".html", report_to_html(report, table)); !s) return s;
    if (auto s = write(".json", report_to_json(report)); !s) return s;
    return write(".csv", report_to_csv(report));
}

}  // namespace rivlen
