#include "core/handover/deliver.h"

#include <algorithm>
#include <atomic>
#include <chrono>
#include <cmath>
#include <ctime>
#include <fstream>
#include <future>
#include <map>
#include <mutex>
#include <nlohmann/json.hpp>
#include <set>
#include <thread>

#include "core/assess/tradeoff.h"
#include "core/base/denormals.h"
#include "core/base/hash.h"
#include "core/base/levels.h"
#include "core/base/output_file.h"
#include "core/handover/putback.h"
#include "core/handover/spectrogram_picture.h"
#include "core/handover/written_sound.h"
#include "core/media/decode.h"
#include "core/mix/engine.h"

namespace rivlen {

namespace {

namespace fs = std::filesystem;
constexpr const char* kProofFolder = ".rivlen";

bool holds(Content content, Stem stem) {
    switch (content) {
        case Content::Mix:
            return true;
        case Content::Dialogue:
            return stem == Stem::Dialogue;
        case Content::Reverb:
            return stem == Stem::Reverb;
        case Content::Music:
        case Content::Instrumental:
            return stem == Stem::Music;
        case Content::Ambience:
            return stem == Stem::Ambience;
        case Content::MusicAndEffects:
            return stem == Stem::Music || stem == Stem::Ambience;
        case Content::Voice:
            return stem == Stem::Dialogue || stem == Stem::Reverb;
        case Content::Stems:
            return true;
    }
    return false;
}

std::string file_checksum(const fs::path& path) {
    std::ifstream stream(path, std::ios::binary);
    if (!stream) return {};
    Hasher hasher;
    std::vector<char> block(1 << 20);
    while (stream) {
        stream.read(block.data(), static_cast<std::streamsize>(block.size()));
        hasher.add(std::as_bytes(std::span(block.data(), static_cast<std::size_t>(stream.gcount()))));
    }
    return hasher.hex();
}

std::string hash_of(const std::string& text) {
    return hash_hex(std::as_bytes(std::span(text.data(), text.size())));
}

const fs::path* picture_of(const Session& session) {
    if (session.rebuild.picture.empty()) return nullptr;
    return &session.rebuild.picture.front().path;
}

std::string picture_ending(const Session& session) {
    const fs::path* picture = picture_of(session);
    return picture != nullptr ? picture->extension().string() : std::string(".mov");
}

// What of the session a row holds.
LoopRange range_of_row(const Session& session, const HandoverRow& row) {
    const Rebuild& r = session.rebuild;
    return row.loop_only && r.loop ? *r.loop : LoopRange{0, r.end()};
}
double seconds_of_row(const Session& session, const HandoverRow& row) {
    const LoopRange range = range_of_row(session, row);
    return static_cast<double>(range.last - range.first) / std::max(1, session.rebuild.sample_rate);
}
int rate_of_row(const Session& session, const HandoverRow& row) {
    return row.sample_rate != 0 ? row.sample_rate : session.rebuild.sample_rate;
}

// What rows of one version share: the gain that brings their mix to the target.
struct Version {
    std::shared_ptr<const ScratchSound> mix;
    LoudnessCourse course;  // of the mix, before the gain
    double gated_lufs = -120;
    double gain_db = 0;
};

// The same sound louder: every level moves by as much.
LoudnessCourse shifted(LoudnessCourse course, double gain_db) {
    const auto shift = [gain_db](auto& level) {
        using Level = std::remove_reference_t<decltype(level)>;
        if (level > static_cast<Level>(-119)) level += static_cast<Level>(gain_db);
    };
    shift(course.loudness.integrated_lufs);
    shift(course.loudness.sample_peak_dbfs);
    shift(course.loudness.true_peak_dbtp);
    shift(course.highest_momentary_lufs);
    shift(course.highest_short_term_lufs);
    for (float& level : course.short_term_lufs) shift(level);
    for (float& level : course.peak_dbfs) shift(level);
    return course;
}

class Delivery {
  public:
    Delivery(const DeliveryPlan& plan, const JobControl& job, const OnDelivery& on_event)
        : plan_(plan),
          job_(job),
          on_event_(on_event),
          session_hash_(hash_of(session_to_json(plan.session))) {}

    DeliveryReport run(std::vector<Trouble> troubles);

  private:
    using VersionKey = std::tuple<std::string, int, std::string, bool>;  // version, card, target, loop only
    DeliveredRow deliver_row(int index);
    Status make_row(const HandoverRow& row, DeliveredRow& out);
    Status make_poly(const HandoverRow& row, const Version& version, DeliveredRow& out);
    Result<std::shared_ptr<const Version>> version_of(const HandoverRow& row);
    Result<std::shared_ptr<const Version>> make_version(const HandoverRow& row);
    Result<ScratchSound> rendered(const HandoverRow& row, Content content) const;
    Result<double> dialogue_lufs(const HandoverRow& row, const ScratchSound& mix) const;
    // true_peak_dbtp: of what was written; of files that hold every sample as it was it is not measured
    // again.
    Status read_back(const HandoverRow& row, std::int64_t frames, std::optional<double> true_peak_dbtp,
                     DeliveredRow& out) const;
    [[nodiscard]] SoundDescription describe(const HandoverRow& row, const LoudnessCourse& course,
                                            int rate) const;
    [[nodiscard]] fs::path proof_path(const fs::path& file) const {
        return plan_.folder / kProofFolder / (hash_of(file.filename().string()) + ".json");
    }
    [[nodiscard]] std::string proof_of(const HandoverRow& row) const {
        HandoverTemplate one{{}, {}, {row}, plan_.table.targets};
        one.rows[0].on = true;
        return hash_of(session_hash_ + template_to_json(one) + plan_.name);
    }
    bool done_before(const HandoverRow& row, DeliveredRow& out) const;
    void say(const DeliveryEvent& event) {
        if (!on_event_) return;
        const std::lock_guard lock(events_);
        on_event_(event);
    }
    std::vector<SumProof> sums(const std::vector<DeliveredRow>& rows) const;
    std::vector<StemFigures> figures() const;
    std::string before_picture() const;

    const DeliveryPlan& plan_;
    const JobControl& job_;
    const OnDelivery& on_event_;
    std::string session_hash_;
    std::mutex events_, versions_lock_;
    std::map<VersionKey, std::shared_future<Result<std::shared_ptr<const Version>>>> versions_;
    std::vector<Trouble> troubles_;
    std::atomic<std::size_t> next_{0};
    std::atomic<int> finished_{0};
};

Result<ScratchSound> Delivery::rendered(const HandoverRow& row, Content content) const {
    const Session session = session_for(plan_.session, content, row.card);
    const auto mix = std::make_shared<const MixPlan>(session, plan_.media);
    auto out = ScratchSound::create(plan_.work, session.rebuild.sample_rate, static_cast<int>(kMixChannels));
    if (!out) return out.error();
    const LoopRange range = range_of_row(plan_.session, row);
    const Status status = render_mix(mix, range.first, range.last, {{}, job_.cancel},
                                     [&](std::int64_t, auto block) { return out->append(block); });
    if (!status) return status.error();
    return out;
}

// Of the mix, but only where somebody speaks: 400 ms with a dialogue stem within 25 dB of its loudest.
Result<double> Delivery::dialogue_lufs(const HandoverRow& row, const ScratchSound& mix) const {
    const auto voice = rendered(row, Content::Dialogue);
    if (!voice) return voice.error();
    const std::int64_t step = mix.sample_rate() * 2 / 5;
    std::vector<double> levels;
    const JobControl quiet{{}, job_.cancel};
    Status status = voice->each(
        quiet,
        [&](std::int64_t, const ScratchSound::Block& block) -> Status {
            double energy = 0;
            for (const auto& channel : block) energy += energy_of(channel);
            levels.push_back(db_of_power(energy / static_cast<double>(2 * step)));
            return {};
        },
        step);
    if (!status) return status.error();
    if (levels.empty()) return -120.0;
    constexpr double kUnderLoudestDb = 25, kLeastDbfs = -55;
    const double edge = std::max(kLeastDbfs, *std::ranges::max_element(levels) - kUnderLoudestDb);
    LoudnessMeter meter(mix.sample_rate(), mix.channels(), LoudnessMeter::Kind::Quick);
    status = mix.each(
        quiet,
        [&](std::int64_t at, const ScratchSound::Block& block) -> Status {
            if (levels[static_cast<std::size_t>(at / step)] >= edge) meter.add(block);
            return {};
        },
        step);
    if (!status) return status.error();
    return meter.result().integrated_lufs;
}

Result<std::shared_ptr<const Version>> Delivery::make_version(const HandoverRow& row) {
    auto version = std::make_shared<Version>();
    auto mix = rendered(row, Content::Mix);
    if (!mix) return mix.error();
    version->mix = std::make_shared<const ScratchSound>(std::move(*mix));
    auto course = course_of(*version->mix, {{}, job_.cancel});
    if (!course) return course.error();
    version->course = std::move(*course);
    version->gated_lufs = version->course.loudness.integrated_lufs;
    const LoudnessTarget* target = find_target(plan_.table.targets, row.target);
    if (target == nullptr) return std::shared_ptr<const Version>(version);
    if (target->gate == LoudnessGate::Dialogue) {
        const auto spoken = dialogue_lufs(row, *version->mix);
        if (!spoken) return spoken.error();
        if (*spoken > -70) version->gated_lufs = *spoken;
    }
    if (version->gated_lufs > -70) version->gain_db = target->integrated_lufs - version->gated_lufs;
    if (target->short_term_lufs)
        version->gain_db =
            std::min(version->gain_db, *target->short_term_lufs - version->course.highest_short_term_lufs);
    return std::shared_ptr<const Version>(version);
}

// Made by the first row that asks; the others wait for it.
Result<std::shared_ptr<const Version>> Delivery::version_of(const HandoverRow& row) {
    const VersionKey key{row.version, row.card, row.target, row.loop_only};
    std::promise<Result<std::shared_ptr<const Version>>> promise;
    std::shared_future<Result<std::shared_ptr<const Version>>> future;
    bool mine = false;
    {
        const std::lock_guard lock(versions_lock_);
        const auto found = versions_.find(key);
        mine = found == versions_.end();
        future = mine ? promise.get_future().share() : found->second;
        if (mine) versions_.emplace(key, future);
    }
    if (mine) promise.set_value(make_version(row));
    return future.get();
}

SoundDescription Delivery::describe(const HandoverRow& row, const LoudnessCourse& course, int rate) const {
    const Rebuild& r = plan_.session.rebuild;
    SoundDescription d;
    d.description = fmt::format("{} - {}{}{}", plan_.name, label_of(row.content),
                                row.version.empty() ? "" : ", ", row.version);
    d.project = plan_.name;
    d.originator_reference = hash_of(session_hash_ + row.name).substr(0, 32);
    const std::time_t now = std::time(nullptr);
    std::tm local{};
    ::localtime_r(&now, &local);
    std::array<char, 16> text{};
    std::strftime(text.data(), text.size(), "%Y-%m-%d", &local);
    d.date = text.data();
    std::strftime(text.data(), text.size(), "%H:%M:%S", &local);
    d.time = text.data();
    const double start = static_cast<double>(r.first_timecode_frame) / r.frame_rate.per_second() +
                         static_cast<double>(range_of_row(plan_.session, row).first) / r.sample_rate;
    d.time_reference_frames = static_cast<std::uint64_t>(std::llround(start * rate));
    d.timecode_rate = fmt::format("{}/{}", r.frame_rate.num, r.frame_rate.den);
    const std::string label = label_of(row.content);
    d.track_names =
        row.mono ? std::vector<std::string>{label} : std::vector<std::string>{label + " L", label + " R"};
    d.integrated_lufs = course.loudness.integrated_lufs;
    d.range_lu = course.loudness.range_lu;
    d.true_peak_dbtp = course.loudness.true_peak_dbtp;
    d.momentary_lufs = course.highest_momentary_lufs;
    d.short_term_lufs = course.highest_short_term_lufs;
    return d;
}

// The stems side by side, two channels each (one when mono), with the gain of their version.
Status Delivery::make_poly(const HandoverRow& row, const Version& version, DeliveredRow& out) {
    const JobControl quiet{{}, job_.cancel};
    const int rate = rate_of_row(plan_.session, row);
    std::vector<ScratchSound> stems;
    for (const Content content : {Content::Dialogue, Content::Reverb, Content::Music, Content::Ambience}) {
        const auto own = rendered(row, content);
        if (!own) return own.error();
        auto made = converted(*own, rate, row.mono, version.gain_db, plan_.work, quiet);
        if (!made) return made.error();
        stems.push_back(std::move(*made));
    }
    auto all = ScratchSound::create(plan_.work, rate, static_cast<int>(stems.size()) * stems[0].channels());
    if (!all) return all.error();
    ScratchSound::Block joined;
    const Status status =
        stems[0].each(quiet, [&](std::int64_t at, const ScratchSound::Block& first) -> Status {
            joined = first;
            ScratchSound::Block block(first.size());
            for (std::size_t s = 1; s < stems.size(); ++s) {
                if (auto done = stems[s].read(at, static_cast<std::int64_t>(first[0].size()), block); !done)
                    return done;
                joined.insert(joined.end(), block.begin(), block.end());
            }
            return all->append(joined);
        });
    if (!status) return status;
    SoundDescription description = describe(row, shifted(version.course, version.gain_db), rate);
    description.track_names.clear();
    for (const Content content : {Content::Dialogue, Content::Reverb, Content::Music, Content::Ambience}) {
        const std::string label = label_of(content);
        if (row.mono) {
            description.track_names.push_back(label);
        } else {
            description.track_names.push_back(label + " L");
            description.track_names.push_back(label + " R");
        }
    }
    if (auto done = write_sound(*all, row.container, row.depth, description, out.path, plan_.replace, quiet);
        !done)
        return done;
    return read_back(row, all->frames(), -200.0, out);
}

Status Delivery::make_row(const HandoverRow& row, DeliveredRow& out) {
    const JobControl quiet{{}, job_.cancel};
    const LoudnessTarget* target = find_target(plan_.table.targets, row.target);
    const auto version = version_of(row);
    if (!version) return version.error();
    out.gain_db = (*version)->gain_db;
    if (row.content == Content::Stems) return make_poly(row, **version, out);
    std::shared_ptr<const ScratchSound> sound = (*version)->mix;
    LoudnessCourse before_gain = (*version)->course;
    if (row.content != Content::Mix) {
        auto own = rendered(row, row.content);
        if (!own) return own.error();
        sound = std::make_shared<const ScratchSound>(std::move(*own));
        auto measured = course_of(*sound, quiet);
        if (!measured) return measured.error();
        before_gain = std::move(*measured);
    }
    const int rate = rate_of_row(plan_.session, row);
    const bool limits = target != nullptr && row.content == Content::Mix;
    // A limiter takes loudness away: what is missing is given again, a few times.
    double gain_db = out.gain_db;
    std::optional<ScratchSound> made;
    LoudnessCourse course;
    constexpr int kRounds = 4;
    for (int round = 0; round < kRounds; ++round) {
        auto at_rate = converted(*sound, rate, row.mono, gain_db, plan_.work, quiet);
        if (!at_rate) return at_rate.error();
        made = std::move(*at_rate);
        if (rate == sound->sample_rate() && !row.mono) {
            course = shifted(before_gain, gain_db);
        } else {
            auto measured = course_of(*made, quiet);
            if (!measured) return measured.error();
            course = std::move(*measured);
        }
        out.limited_db = 0;
        if (!limits || course.loudness.true_peak_dbtp <= target->true_peak_dbtp) break;
        // Coding adds overshoots of its own; common practice, no source.
        const bool coded = row.container == Container::Opus || row.container == Container::Mp3 ||
                           row.container == Container::Aac;
        auto held =
            limited(*made, target->true_peak_dbtp - (coded ? 1.0 : 0.1), out.limited_db, plan_.work, quiet);
        if (!held) return held.error();
        made = std::move(*held);
        const double before = course.loudness.integrated_lufs;
        auto measured = course_of(*made, quiet);
        if (!measured) return measured.error();
        course = std::move(*measured);
        const double lost = before - course.loudness.integrated_lufs;
        if (row.mono || round + 1 == kRounds || lost < 0.1 || out.gain_db + lost - gain_db < 0.05) break;
        gain_db = out.gain_db + lost;
    }
    out.gain_db = gain_db;
    if (row.container == Container::Picture) {
        const fs::path* picture = picture_of(plan_.session);
        if (picture == nullptr)
            return make_error(ErrorKind::BadInput, "The session has no picture for \"{}\" to go under.",
                              out.path.string());
        const fs::path between = partial_path(plan_.work / "under the picture.wav");
        if (auto status = write_sound(*made, Container::Wav, Depth::Pcm24, describe(row, course, rate),
                                      between, true, quiet);
            !status)
            return status;
        PutbackPlan back;
        back.picture = *picture;
        back.audio = between;
        back.out = out.path;
        back.title = label_of(row.content);
        back.language = row.language;
        back.keep_original_sound = row.keep_original_sound;
        back.overwrite = plan_.replace;
        const auto report = put_back(back, quiet);
        std::error_code ignored;
        fs::remove(between, ignored);
        if (!report) return report.error();
    } else {
        const Status status = write_sound(*made, row.container, row.depth, describe(row, course, rate),
                                          out.path, plan_.replace, quiet);
        if (!status) return status;
    }
    return read_back(row, made->frames(), course.loudness.true_peak_dbtp, out);
}

Status Delivery::read_back(const HandoverRow& row, std::int64_t frames, std::optional<double> true_peak_dbtp,
                           DeliveredRow& out) const {
    const bool exact = row.container == Container::Wav || row.container == Container::Flac;
    const bool known = exact && true_peak_dbtp;
    auto decoder = AudioDecoder::open(out.path);
    if (!decoder) return decoder.error();
    out.sample_rate = decoder->info().sample_rate;
    out.channels = decoder->info().channels;
    CourseMeter meter(out.sample_rate, out.channels,
                      known ? LoudnessMeter::Kind::Quick : LoudnessMeter::Kind::Exact);
    SpectrogramPicture picture(frames, out.sample_rate);
    ScratchSound::Block block(static_cast<std::size_t>(out.channels));
    for (;;) {
        if (job_.cancelled()) return JobControl::cancelled_error();
        auto part = decoder->read();
        if (!part) return part.error();
        if (part->empty()) break;
        const std::size_t count = part->size() / block.size();
        for (std::size_t c = 0; c < block.size(); ++c) {
            block[c].resize(count);
            for (std::size_t i = 0; i < count; ++i) block[c][i] = (*part)[i * block.size() + c];
        }
        meter.add(block);
        if (row.content == Content::Mix) picture.add(block);
        out.frames += static_cast<std::int64_t>(count);
    }
    out.course = meter.finish();
    if (row.content == Content::Mix) out.picture = picture.data_uri();
    if (known) out.course.loudness.true_peak_dbtp = *true_peak_dbtp;
    if (row.content == Content::Stems) out.course = {};  // nobody hears the channels of such a file together
    out.gated_lufs = out.course.loudness.integrated_lufs;
    out.checksum = file_checksum(out.path);
    std::error_code error;
    out.bytes = fs::file_size(out.path, error);
    // Coders work in frames: what they add at the end is theirs; a sample missing is not.
    const auto wanted = static_cast<std::int64_t>(
        std::llround(static_cast<double>(frames) * out.sample_rate / rate_of_row(plan_.session, row)));
    if (exact ? out.frames != wanted : out.frames + 1 < wanted)
        return make_error(ErrorKind::Internal,
                          "\"{}\" holds {} samples where {} were written; it was taken away again.",
                          out.path.string(), out.frames, wanted);
    const LoudnessTarget* target = find_target(plan_.table.targets, row.target);
    if (target == nullptr || row.content != Content::Mix || row.mono) return {};
    const bool programme = target->gate == LoudnessGate::Programme && !target->short_term_lufs;
    const double off = out.gated_lufs - target->integrated_lufs;
    const bool coded = !exact && row.container != Container::Picture;
    if (programme && std::abs(off) > target->tolerance_lu) {
        out.on_target = false;
        out.sentence = fmt::format("{:.1f} LU {} the target: its peaks do not allow more.", std::abs(off),
                                   off < 0 ? "under" : "over");
    } else if (out.course.loudness.true_peak_dbtp > target->true_peak_dbtp + (coded ? 0.5 : 0.05)) {
        out.on_target = false;
        out.sentence = fmt::format("True peak {:.1f} dBTP where {:.1f} are allowed.",
                                   out.course.loudness.true_peak_dbtp, target->true_peak_dbtp);
    }
    return {};
}

bool Delivery::done_before(const HandoverRow& row, DeliveredRow& out) const {
    std::error_code error;
    if (!fs::exists(out.path, error)) return false;
    const auto text = read_text_file(proof_path(out.path));
    if (!text) return false;
    const auto proof = nlohmann::json::parse(*text, nullptr, false);
    if (!proof.is_object() || proof.value("made_from", "") != proof_of(row)) return false;
    const std::string checksum = file_checksum(out.path);
    return !checksum.empty() && proof.value("checksum", "") == checksum;
}

DeliveredRow Delivery::deliver_row(int index) {
    const HandoverRow& row = plan_.table.rows[static_cast<std::size_t>(index)];
    const auto begun = std::chrono::steady_clock::now();
    DeliveredRow out;
    out.row = index;
    out.asked = row;
    out.path = plan_.folder / file_name(row, plan_.name, picture_ending(plan_.session));
    const std::string file = out.path.filename().string();
    say({index, DeliveryStep::Started, file, {}});
    std::error_code error;
    Status status;
    if (job_.cancelled()) {
        status = JobControl::cancelled_error();
    } else if (const auto trouble = std::ranges::find_if(
                   troubles_, [index](const Trouble& t) { return t.error && t.row == index; });
               trouble != troubles_.end()) {
        status = make_error(ErrorKind::BadInput, "{}", trouble->sentence);
    } else if (done_before(row, out)) {
        const double frames = seconds_of_row(plan_.session, row) * rate_of_row(plan_.session, row);
        status = read_back(row, std::llround(frames), std::nullopt, out);
        out.state = RowState::Skipped;
    } else if (!plan_.replace && fs::exists(out.path, error)) {
        status =
            make_error(ErrorKind::Io,
                       "\"{}\" is there already and was made from something else. Choose another folder or "
                       "name, or allow replacing.",
                       out.path.string());
    } else {
        const bool was_there = fs::exists(out.path, error);
        status = make_row(row, out);
        out.state = RowState::Done;
        // What does not pass its own check is no delivery.
        if (!status && status.error().kind == ErrorKind::Internal && !was_there) fs::remove(out.path, error);
        if (status) {
            fs::create_directories(plan_.folder / kProofFolder, error);
            const nlohmann::json proof = {
                {"file", file}, {"made_from", proof_of(row)}, {"checksum", out.checksum}};
            status =
                write_text_file(proof_path(out.path),
                                proof.dump(2, ' ', false, nlohmann::json::error_handler_t::replace) + "\n");
        }
    }
    out.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begun).count();
    if (!status) {
        const bool cancelled = status.error().kind == ErrorKind::Cancelled;
        out.state = cancelled ? RowState::Cancelled : RowState::Failed;
        out.sentence = status.error().message;
    }
    constexpr std::array<DeliveryStep, 4> kSteps = {DeliveryStep::Done, DeliveryStep::Skipped,
                                                    DeliveryStep::Failed, DeliveryStep::Cancelled};
    say({index, kSteps[static_cast<std::size_t>(out.state)], file, out.sentence});
    return out;
}

// Stems that were delivered beside a mix of the same version, read back and added up.
// Leak and damage of the stems as they are delivered, of every recording that was taken apart.
std::vector<StemFigures> Delivery::figures() const {
    constexpr std::int64_t kSeconds = 60;
    std::vector<StemFigures> out;
    for (const auto& item : plan_.session.items) {
        const auto media = plan_.media.find(item.path);
        if (media == plan_.media.end() || !media->second.source || !media->second.map) continue;
        const Source& source = *media->second.source;
        const auto frames = static_cast<std::int64_t>(source.frames());
        const std::int64_t length = std::min(frames, kSeconds * source.sample_rate());
        const std::int64_t first = (frames - length) / 2;
        const auto assessment =
            Assessment::prepare(source, *media->second.map, first, first + length, {{}, job_.cancel});
        if (!assessment) continue;
        for (std::size_t s = 0; s < kStems; ++s) {
            const bool played = std::ranges::any_of(plan_.session.rebuild.tracks, [&](const Track& t) {
                return std::ranges::any_of(
                    t.clips, [&](const Clip& c) { return c.path == item.path && stem_of_feed(c.feed) == s; });
            });
            if (!played) continue;
            const TradeOff figure = assessment->measure(stem_recipe(item.settings.stems[s], s), s);
            out.push_back(
                {item.path.filename().string(), static_cast<Stem>(s), figure.leak_db, figure.damage});
        }
    }
    return out;
}

std::string Delivery::before_picture() const {
    for (const auto& item : plan_.session.items) {
        const auto media = plan_.media.find(item.path);
        if (media == plan_.media.end() || !media->second.source) continue;
        const Source& source = *media->second.source;
        SpectrogramPicture picture(static_cast<std::int64_t>(source.frames()), source.sample_rate());
        constexpr std::int64_t kBlock = 1 << 16;
        ScratchSound::Block block(1);
        for (std::int64_t at = 0; at < static_cast<std::int64_t>(source.frames()); at += kBlock) {
            block[0].resize(static_cast<std::size_t>(kBlock));
            source.read(0, at, block[0]);
            picture.add(block);
        }
        return picture.data_uri();
    }
    return {};
}

std::vector<SumProof> Delivery::sums(const std::vector<DeliveredRow>& rows) const {
    std::map<VersionKey, std::array<const DeliveredRow*, kStems + 1>> sets;
    for (const auto& row : rows) {
        const auto& asked = row.asked;
        if (row.state != RowState::Done && row.state != RowState::Skipped) continue;
        if (asked.container != Container::Wav && asked.container != Container::Flac) continue;
        const auto content = static_cast<std::size_t>(asked.content);
        if (content > kStems || asked.mono) continue;
        auto& set = sets[{asked.version, asked.card, asked.target, asked.loop_only}];
        if (set[content] == nullptr) set[content] = &row;
    }
    std::vector<SumProof> out;
    for (const auto& [key, set] : sets) {
        if (std::ranges::find(set, nullptr) != set.end()) continue;
        std::vector<AudioBuffer> sound;
        std::vector<AudioDecoder> decoders;
        for (const auto* row : set) {
            auto decoder = AudioDecoder::open(row->path);
            if (decoder && row->sample_rate == set[0]->sample_rate) decoders.push_back(std::move(*decoder));
        }
        if (decoders.size() != set.size()) continue;
        std::vector<std::vector<float>> waiting(decoders.size());
        double peak = 0;
        for (bool more = true; more;) {
            more = false;
            std::size_t ready = SIZE_MAX;
            for (std::size_t i = 0; i < decoders.size(); ++i) {
                if (waiting[i].empty()) {
                    if (auto part = decoders[i].read()) waiting[i] = std::move(*part);
                }
                more = more || !waiting[i].empty();
                ready = std::min(ready, waiting[i].size());
            }
            if (ready == 0) break;
            for (std::size_t i = 0; i < ready; ++i) {
                double difference = -static_cast<double>(waiting[0][i]);
                for (std::size_t s = 1; s < waiting.size(); ++s)
                    difference += static_cast<double>(waiting[s][i]);
                peak = std::max(peak, std::abs(difference));
            }
            for (auto& part : waiting)
                part.erase(part.begin(), part.begin() + static_cast<std::ptrdiff_t>(ready));
        }
        out.push_back({std::get<0>(key), std::get<2>(key), db_of_amplitude(peak)});
    }
    return out;
}

DeliveryReport Delivery::run(std::vector<Trouble> troubles) {
    const auto begun = std::chrono::steady_clock::now();
    DeliveryReport report;
    report.name = plan_.name;
    report.troubles = troubles_ = std::move(troubles);
    std::vector<int> wanted;
    for (std::size_t i = 0; i < plan_.table.rows.size(); ++i) {
        if (plan_.table.rows[i].on) wanted.push_back(static_cast<int>(i));
    }
    report.rows.resize(wanted.size());
    {
        std::vector<std::jthread> workers;
        const int count = std::clamp(plan_.jobs, 1, static_cast<int>(wanted.size()));
        for (int w = 0; w < count; ++w) {
            workers.emplace_back([&] {
                const FlushDenormals fast;
                for (std::size_t i = next_++; i < wanted.size(); i = next_++) {
                    report.rows[i] = deliver_row(wanted[i]);
                    job_.report(static_cast<double>(++finished_) / static_cast<double>(wanted.size()));
                }
            });
        }
    }
    report.sums = sums(report.rows);
    report.figures = figures();
    report.before_picture = before_picture();
    for (const auto& row : report.rows) {
        if (report.after_picture.empty()) report.after_picture = row.picture;
    }
    double written = 0;
    for (const auto& row : report.rows) {
        if (row.state == RowState::Done)
            written += static_cast<double>(row.frames) / std::max(1, row.sample_rate);
    }
    report.times_real_time =
        written /
        std::max(1e-9, std::chrono::duration<double>(std::chrono::steady_clock::now() - begun).count());
    return report;
}

std::string lower(std::string text) {
    for (char& c : text) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    return text;
}

}  // namespace

bool DeliveryReport::all_done() const {
    return std::ranges::all_of(rows, [](const DeliveredRow& r) {
        return r.state == RowState::Done || r.state == RowState::Skipped;
    });
}

Stem stem_of(const Track& track) {
    for (const auto& clip : track.clips) {
        if (const auto stem = stem_of_feed(clip.feed)) return static_cast<Stem>(*stem);
    }
    const std::string name = lower(track.name);
    const auto has = [&](const char* word) { return name.find(word) != std::string::npos; };
    if (has("reverb")) return Stem::Reverb;
    if (has("dialog") || has("voice") || has("narrat") || has("speech")) return Stem::Dialogue;
    if (has("music") || has("song")) return Stem::Music;
    return Stem::Ambience;
}

Session session_for(const Session& session, Content content, int card) {
    Session out = session;
    for (auto& track : out.rebuild.tracks) {
        if (card >= 0) track.card = card;
        if (content == Content::Mix) continue;
        track.strip.solo = false;
        if (holds(content, stem_of(track))) continue;
        track.strip.mute = true;
        std::erase_if(track.strip.lines, [](const MixLine& l) { return l.target == LineTarget::Mute; });
        // Not even read, unless it ducks one that is heard.
        const bool ducks = std::ranges::any_of(session.rebuild.tracks, [&](const Track& other) {
            return other.ducking.acts() && other.ducking.key_track == track.id &&
                   holds(content, stem_of(other));
        });
        if (!ducks) track.clips.clear();
    }
    return out;
}

std::vector<Trouble> check(const DeliveryPlan& plan) {
    std::vector<Trouble> out;
    const Rebuild& r = plan.session.rebuild;
    if (r.end() == 0 || r.sample_rate == 0)
        out.push_back({-1, true, "There is nothing on the tracks yet. Place stems or files first."});
    for (const auto& path : missing_media(plan.session))
        out.push_back({-1, true, fmt::format("\"{}\" is not there. Say where it is now.", path.string())});
    std::set<fs::path> unsplit;
    for (const auto& track : r.tracks) {
        for (const auto& clip : track.clips) {
            const auto media = plan.media.find(clip.path);
            const bool split = media != plan.media.end() && media->second.map != nullptr;
            if (clip.feed != Feed::Whole && !split && unsplit.insert(clip.path).second)
                out.push_back({-1, true,
                               fmt::format("\"{}\" has not been split yet. Split it first.",
                                           clip.path.filename().string())});
        }
    }
    std::map<std::string, int> names;
    std::error_code error;
    double bytes = 0;
    bool any = false;
    for (std::size_t i = 0; i < plan.table.rows.size(); ++i) {
        const auto& row = plan.table.rows[i];
        if (!row.on) continue;
        any = true;
        const int number = static_cast<int>(i);
        const std::string file = file_name(row, plan.name, picture_ending(plan.session));
        const auto [at, fresh] = names.emplace(lower(file), number);
        if (!fresh)
            out.push_back({number, true,
                           fmt::format("\"{}\" is the name of row {}, too. Use {{content}}, {{version}} or "
                                       "{{target}} in one of "
                                       "them.",
                                       file, at->second + 1)});
        if (!row.target.empty() && find_target(plan.table.targets, row.target) == nullptr)
            out.push_back(
                {number, true,
                 fmt::format("There is no target \"{}\". Choose one of the list or add it.", row.target)});
        if (row.content == Content::Stems && row.container != Container::Wav &&
            row.container != Container::Flac)
            out.push_back({number, true, "All stems in one file go into WAV or FLAC only."});
        if (row.container == Container::Flac && !has_depth(row.container, row.depth))
            out.push_back({number, true, "FLAC holds no floating point. Choose 16 or 24 bit."});
        if (row.loop_only && !r.loop)
            out.push_back({number, true, "There is no loop range. Set one, or deliver all of it."});
        if (row.container == Container::Picture && picture_of(plan.session) == nullptr)
            out.push_back({number, true, "The session has no picture to go under."});
        if (row.container == Container::Picture && row.loop_only)
            out.push_back({number, true, "Under a picture goes all of it. Switch the loop range off."});
        const bool heard = std::ranges::any_of(r.tracks, [&](const Track& t) {
            return !t.clips.empty() && !t.strip.mute && holds(row.content, stem_of(t));
        });
        if (!heard)
            out.push_back(
                {number, false,
                 fmt::format("No track plays {}: the file will be silent.", label_of(row.content))});
        if (row.card >= 0) {
            const bool kept = std::ranges::any_of(plan.session.items, [&](const SessionItem& item) {
                return item.cards[static_cast<std::size_t>(row.card)].has_value();
            });
            if (!kept)
                out.push_back({number, true,
                               fmt::format("Card {} is empty. Keep settings on it first.", row.card + 1)});
        }
        const fs::path target = plan.folder / file;
        if (fs::exists(target, error) && !plan.replace)
            out.push_back(
                {number, false,
                 fmt::format("\"{}\" is there already: it stays when it was made from the same, else the row "
                             "fails unless replacing is allowed.",
                             file)});
        for (const auto& [path, media] : plan.media) {
            if (same_file(path, target))
                out.push_back(
                    {number, true,
                     fmt::format("\"{}\" is one of the recordings and is never written to.", file)});
        }
        bytes += seconds_of_row(plan.session, row) * rate_of_row(plan.session, row) * 8;
    }
    if (!any) out.push_back({-1, true, "No row is switched on."});
    fs::path there = plan.folder.empty() ? fs::path(".") : plan.folder;
    while (!there.empty() && !fs::exists(there, error))
        there = there.has_relative_path() ? there.parent_path() : fs::path(".");
    const auto space = fs::space(there, error);
    if (!error && static_cast<double>(space.available) < bytes)
        out.push_back(
            {-1, true,
             fmt::format("The disk of \"{}\" has {:.1f} GB left where up to {:.1f} GB are needed.",
                         plan.folder.string(), static_cast<double>(space.available) / 1e9, bytes / 1e9)});
    for (const auto& [path, media] : plan.media) {
        if (!media.source) continue;
        for (const auto& warning : media.source->warnings()) out.push_back({-1, false, warning});
    }
    return out;
}

Result<DeliveryReport> deliver(const DeliveryPlan& plan, const JobControl& job, const OnDelivery& on_event) {
    auto troubles = check(plan);
    for (const auto& trouble : troubles) {
        if (trouble.error && trouble.row < 0) return make_error(ErrorKind::BadInput, "{}", trouble.sentence);
    }
    std::error_code ignored;  // a folder that cannot be made is told of by the rows
    fs::create_directories(plan.folder, ignored);
    return Delivery(plan, job, on_event).run(std::move(troubles));
}

}  // namespace rivlen
