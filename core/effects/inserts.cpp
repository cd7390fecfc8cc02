// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/inserts.h"

#include <algorithm>
#include <cmath>

#include "core/effects/noise_shape.h"

namespace rivlen {

namespace {

constexpr std::array<ParameterInfo, 2> kClipping = {
    {{"level", "Level", "dBFS", -60, 0, -0.1, 0.01, false, false,
      "Peaks that reach this level were cut off there and are rebuilt.",
      "Too low: peaks that were never cut are drawn anew."},
     {"most", "Rise", "dB", 0, 18, 8, 0.5, false, false,
      "No peak is rebuilt higher than this over the level.",
      "Peaks that stick out; a limiter behind brings them under full scale."}}};
constexpr std::array<ParameterInfo, 2> kClicks = {
    {{"over", "Stands out", "dB", 3, 30, 18, 0.5, false, false,
      "A disturbance is a click when it stands out of what is around it by this much.",
      "Too low: sharp consonants are blunted."},
     {"longest", "Longest", "ms", 0.2, 6, 3, 0.1, false, false, "Longer ones are left alone.",
      "What is interpolated over long stretches sounds dull."}}};
constexpr std::array<ParameterInfo, 3> kPlosives = {
    {{"threshold", "Threshold", "dB", -24, 12, -6, 0.5, false, false,
      "Where the lowest lows come this close to the voice, it is a thump.",
      "Too low: deep voices lose their weight."},
     {"frequency", "Below", "Hz", 60, 300, 100, 1, false, false, "What lies below is taken out of a thump.",
      "Words that begin with p or b sound thin."},
     {"most", "At most", "dB", -48, 0, -30, 0.5, false, false, "It is never turned down further than this.",
      "Words that begin with p or b sound thin."}}};
constexpr std::array<ParameterInfo, 4> kHum = {
    {{"frequency", "Frequency", "Hz", 40, 130, 50, 0.01, false, false,
      "Of the lowest tone: 50 or 60 Hz for mains.", "Off by more than it may follow, it finds nothing."},
     {"harmonics", "Tones", "", 1, 30, 12, 1, false, false, "The lowest and its multiples.",
      "Tones that are not there cost only time."},
     {"most", "At most", "dB", -60, 0, -40, 0.5, false, false, "It is never turned down further than this.",
      "Nothing else is touched: it may go all the way."},
     {"follow", "Follows", "Hz", 0, 2, 0.5, 0.05, false, false,
      "How far the frequency may wander, as with tapes and generators.",
      "Held notes of music may be followed."}}};
constexpr std::array<ParameterInfo, 3> kWind = {
    {{"reach", "Up to", "Hz", 100, 1000, 400, 5, false, false, "Above this nothing is touched.",
      "Too high: the voice gets thin in gusts."},
     {"fall", "Falls by", "dB/oct", 6, 24, 12, 0.5, false, false,
      "How steeply the wind falls towards higher frequencies.", "Too little: the voice is taken for wind."},
     {"most", "At most", "dB", -48, 0, -24, 0.5, false, false, "It is never turned down further than this.",
      "Gusts leave holes."}}};
constexpr std::array<ParameterInfo, 4> kHiss = {
    {{"level", "Level", "dBFS", -120, -30, -100, 0.5, false, false,
      "Of the hiss, in the third octave around 4 kHz.", "Too high: breath and the ends of words go with it."},
     {"tilt", "Tilt", "dB/oct", -9, 9, 0, 0.1, false, false, "How its density rises or falls with frequency.",
      "Off, it takes too much at one end."},
     {"most", "At most", "dB", -40, 0, -12, 0.5, false, false, "It is never turned down further than this.",
      "Tinkling remains, and the place sounds dead."},
     {"from", "From", "Hz", 100, 4000, 500, 10, false, false, "Below this nothing is touched.",
      "Too low: the voice loses body."}}};
constexpr std::array<ParameterInfo, 2> kHighPass = {
    {{"frequency", "Frequency", "Hz", 20, 1000, 80, 1, false, false,
      "What lies below is taken away: rumble, handling, wind.", "Voices lose their chest and sound thin."},
     {"slope", "Slope", "dB/oct", 12, 48, 24, 12, false, false,
      "How steeply the level falls below the frequency.", "Very steep slopes ring at the frequency."}}};
constexpr std::array<ParameterInfo, 2> kLowPass = {
    {{"frequency", "Frequency", "Hz", 1000, 20000, 16000, 10, false, false,
      "What lies above is taken away: hiss, whistles.", "Voices become dull and hard to understand."},
     {"slope", "Slope", "dB/oct", 12, 48, 12, 12, false, false,
      "How steeply the level falls above the frequency.", "Very steep slopes ring at the frequency."}}};
constexpr std::array<ParameterInfo, 10> kGate = {
    {{"threshold", "Threshold", "dBFS", -80, 0, -50, 0.5, false, false,
      "What is softer than this is turned down.", "Too high: ends of words are cut."},
     {"ratio", "Ratio", ":1", 1, 20, 2, 0.1, false, false,
      "How many dB softer for each dB under the threshold.", "High ratios chop."},
     {"range", "Range", "dB", -80, 0, -12, 0.5, false, false, "It is never turned down further than this.",
      "Deep ranges make the place vanish between words."},
     {"attack", "Attack", "ms", 0.5, 200, 2, 0.5, false, false, "How fast it opens.",
      "Too long: first consonants are lost."},
     {"hold", "Hold", "ms", 0, 2000, 150, 5, false, false, "How long it stays open.",
      "Too short: it flutters."},
     {"release", "Release", "ms", 5, 4000, 250, 5, false, false, "How fast it closes.",
      "Too short: the place is cut off audibly."},
     {"hysteresis", "Hysteresis", "dB", 0, 20, 3, 0.5, false, false,
      "Once open, it closes only this far under the threshold.",
      "Too much: it does not close between words."},
     {"look_ahead", "Look ahead", "ms", 0, 10, 5, 0.1, false, false, "It opens so much before what opens it.",
      "Breath before a word comes with it."},
     {"key_low", "Listens from", "Hz", 20, 2000, 20, 1, false, false, "It does not hear what lies below.",
      "Too high: it misses chesty words."},
     {"key_high", "Listens to", "Hz", 500, 20000, 20000, 10, false, false,
      "It does not hear what lies above.", "Too low: it misses consonants."}}};
constexpr std::array<ParameterInfo, 13> kEqualiser = {
    {{"low_hz", "Low shelf", "Hz", 20, 1000, 120, 1, false, false,
      "Below this everything is raised or lowered.", "Boomy or thin."},
     {"low_db", "Low gain", "dB", -18, 18, 0, 0.1, false, false, "Gain of the lows.", "Boomy or thin."},
     {"bell1_hz", "Bell 1", "Hz", 20, 20000, 300, 1, false, false, "Middle of the first bell.",
      "Boxes and hollows."},
     {"bell1_db", "Bell 1 gain", "dB", -18, 18, 0, 0.1, false, false, "Gain of the first bell.",
      "Boxes and hollows."},
     {"bell1_q", "Bell 1 Q", "", 0.2, 12, 1, 0.1, false, false, "Narrower with a higher Q.",
      "Narrow gains ring."},
     {"bell2_hz", "Bell 2", "Hz", 20, 20000, 1200, 1, false, false, "Middle of the second bell.", "Honks."},
     {"bell2_db", "Bell 2 gain", "dB", -18, 18, 0, 0.1, false, false, "Gain of the second bell.", "Honks."},
     {"bell2_q", "Bell 2 Q", "", 0.2, 12, 1, 0.1, false, false, "Narrower with a higher Q.",
      "Narrow gains ring."},
     {"bell3_hz", "Bell 3", "Hz", 20, 20000, 4000, 1, false, false, "Middle of the third bell.",
      "Harsh or dull."},
     {"bell3_db", "Bell 3 gain", "dB", -18, 18, 0, 0.1, false, false, "Gain of the third bell.",
      "Harsh or dull."},
     {"bell3_q", "Bell 3 Q", "", 0.2, 12, 1, 0.1, false, false, "Narrower with a higher Q.",
      "Narrow gains ring."},
     {"high_hz", "High shelf", "Hz", 1000, 20000, 8000, 10, false, false,
      "Above this everything is raised or lowered.", "Sharp or dull."},
     {"high_db", "High gain", "dB", -18, 18, 0, 0.1, false, false, "Gain of the highs.", "Sharp or dull."}}};
constexpr std::array<ParameterInfo, 5> kDeEsser = {
    {{"low", "From", "Hz", 2000, 12000, 6000, 10, false, false, "Lower edge of what hisses.",
      "Too low: consonants are blunted."},
     {"high", "To", "Hz", 4000, 16000, 10000, 10, false, false, "Upper edge of what hisses.",
      "Too wide: air is lost."},
     {"threshold", "Threshold", "dB", -24, 0, -3, 0.5, false, false,
      "From which level against the whole voice the band is turned down; it does not matter how loud the "
      "voice is.",
      "Too low: it acts all the time."},
     {"most", "At most", "dB", 0, 12, 2, 0.1, false, false, "It is never turned down further than this.",
      "The voice lisps."},
     {"follow", "Follows", "%", 0, 100, 0, 1, false, false,
      "How far it moves from the middle of the band to where this talker's s lies, and how much narrower it "
      "gets.",
      "With several talkers it stays between them."}}};
constexpr std::array<ParameterInfo, 10> kCompressor = {
    {{"threshold", "Threshold", "dBFS", -60, 0, -24, 0.5, false, false,
      "From here on louder is made less loud.", "Too low: breath and place come up."},
     {"ratio", "Ratio", ":1", 1, 20, 3, 0.1, false, false, "How many dB more in give one dB more out.",
      "The voice is pressed flat."},
     {"knee", "Knee", "dB", 0, 24, 6, 0.5, false, false, "Width over which it begins gently.",
      "Very wide knees act on soft words, too."},
     {"attack", "Attack", "ms", 0.1, 200, 10, 0.1, false, false, "How fast it acts.",
      "Too short: consonants lose their edge."},
     {"release", "Release", "ms", 1, 2000, 10, 1, false, false, "How fast it lets go.",
      "Too short: lows distort. Too long: it breathes."},
     {"make_up", "Make-up", "dB", 0, 24, 0, 0.1, false, false,
      "Gain afterwards, by hand: peaks between -10 and -3 dB are usual for a voice.",
      "The background comes up with the voice."},
     {"side_chain", "Listens from", "Hz", 20, 1000, 20, 1, false, false, "It does not hear what lies below.",
      "Too high: it misses chesty words."},
     {"rms", "RMS over", "ms", 0, 50, 0, 1, false, false,
      "It goes by the power over this time; at 0 by peaks.", "Too long: sharp words come through."},
     {"look_ahead", "Look ahead", "ms", 0, 10, 0, 0.1, false, false, "It acts so much before what is loud.",
      "It is softer before every word."},
     {"link", "Link", "%", 0, 100, 100, 1, false, false, "How far both sides get the gain of the louder one.",
      "Too little: what is in the middle wanders."}}};
constexpr std::array<ParameterInfo, 1> kGain = {
    {{"gain", "Gain", "dB", -60, 24, 0, 0.1, false, false, "Louder or softer.",
      "Too loud: what follows is driven into its limits."}}};
constexpr std::array<ParameterInfo, 4> kRoom = {
    {{"level", "Level", "dB", -60, 0, -24, 0.5, false, false,
      "Of the room against the voice; at -60 there is none.", "The voice moves away."},
     {"decay", "Decay", "s", 0.1, 4, 0.5, 0.05, false, false, "Time in which the room falls by 60 dB.",
      "Words run together."},
     {"delay", "Delay", "ms", 0, 100, 8, 1, false, false, "From the voice to the room.", "An echo is heard."},
     {"damping", "Damping", "Hz", 500, 16000, 5000, 10, false, false, "Above this the room falls faster.",
      "A hissing room."}}};
constexpr std::array<ParameterInfo, 3> kLimiter = {
    {{"drive", "Drive", "dB", -12, 24, 0, 0.1, false, false, "Gain before the limiter.",
      "Everything is equally loud, breath and consonants come forward."},
     {"ceiling", "Ceiling", "dBTP", -20, 0, -0.5, 0.1, false, false,
      "The true peak that is never passed, also between samples.", "A low ceiling only makes things softer."},
     {"release", "Release", "ms", 10, 1000, 120, 1, false, false, "How fast the gain comes back.",
      "Too short: lows distort. Too long: soft words behind a peak are lost."}}};

constexpr std::array<EffectInfo, kEffectTypes> kParts = {
    {{"clipping", "Clipping", "Rebuilds peaks that were cut off.", kClipping},
     {"clicks", "Clicks", "Takes out clicks and mouth noise, sample by sample.", kClicks},
     {"plosives", "Plosives", "Takes the thump out of p and b.", kPlosives},
     {"hum", "Hum", "Finds a steady hum with its overtones, follows it and takes it out.", kHum},
     {"wind", "Wind", "Turns the rumble of wind down while it blows.", kWind},
     {"hiss", "Hiss", "Turns steady noise down where no voice covers it.", kHiss},
     {"high_pass", "High-pass", "Takes away what lies under the voice.", kHighPass},
     {"low_pass", "Low-pass", "Takes away what lies above the voice.", kLowPass},
     {"gate", "Gate", "Turns down what is too soft to be the voice.", kGate},
     {"equaliser", "Equaliser", "Raises and lowers parts of the spectrum; drag the points.", kEqualiser},
     {"de_esser", "De-esser", "Turns hissing s sounds down, and only them.", kDeEsser},
     {"compressor", "Compressor", "Brings loud and soft closer together.", kCompressor},
     {"gain", "Gain", "A level of its own within the chain.", kGain},
     {"room", "Room", "A touch of room for a voice that has become too dry.", kRoom},
     {"limiter", "Limiter", "Holds true peaks under a ceiling; belongs at the end of a chain.", kLimiter}}};

}  // namespace

const EffectInfo& info(EffectType kind) {
    return kParts[static_cast<std::size_t>(kind)];
}

Insert make_part(EffectType kind, int id) {
    Insert part{id, kind, true, {}, {}};
    normalise(part);
    return part;
}

void normalise(Insert& part) {
    const auto& parameters = info(part.kind).parameters;
    part.values.resize(std::min(part.values.size(), parameters.size()));
    for (std::size_t i = 0; i < part.values.size(); ++i)
        part.values[i] = std::clamp(part.values[i], parameters[i].lowest, parameters[i].highest);
    while (part.values.size() < parameters.size())
        part.values.push_back(parameters[part.values.size()].standard);
    if (part.kind != EffectType::Hiss || part.noise_shape_db.size() != kNoisePlaces)
        part.noise_shape_db.clear();
    for (float& db : part.noise_shape_db)
        db = std::isfinite(db)
                 ? std::clamp(db, -static_cast<float>(kMostShapeDb), static_cast<float>(kMostShapeDb))
                 : 0.0F;
}

std::vector<Insert> voice_start_chain() {
    constexpr double kMakeUpDb = 6;
    std::vector<Insert> chain = {make_part(EffectType::HighPass, 1), make_part(EffectType::DeEsser, 2),
                                 make_part(EffectType::Compressor, 3), make_part(EffectType::Limiter, 4)};
    chain[2][parameter::kMakeUpDb] = kMakeUpDb;
    return chain;
}

}  // namespace rivlen
