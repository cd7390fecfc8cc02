#include "core/chain/parts.h"

#include <algorithm>

namespace rivlen {

namespace {

constexpr std::array<ParameterInfo, 1> kGain = {
    {{"gain", "Gain", "dB", -60, 24, 0, 0.1, false, false, "Louder or softer.",
      "Too loud: what follows is driven into its limits."}}};
constexpr std::array<ParameterInfo, 2> kHighPass = {
    {{"frequency", "Frequency", "Hz", 20, 1000, 80, 1, false, false,
      "What lies below is taken away: rumble, handling, wind.", "Voices lose their chest and sound thin."},
     {"slope", "Slope", "dB/oct", 12, 48, 24, 12, false, false,
      "How steeply the level falls below the frequency.", "Very steep slopes ring at the frequency."}}};
constexpr std::array<ParameterInfo, 3> kLimiter = {
    {{"drive", "Drive", "dB", -12, 24, 0, 0.1, false, false, "Gain before the limiter.",
      "Everything is equally loud, breath and consonants come forward."},
     {"ceiling", "Ceiling", "dBTP", -20, 0, -0.5, 0.1, false, false,
      "The true peak that is never passed, also between samples.", "A low ceiling only makes things softer."},
     {"release", "Release", "ms", 10, 1000, 120, 1, false, false, "How fast the gain comes back.",
      "Too short: lows distort. Too long: soft words behind a peak are lost."}}};

constexpr std::array<PartInfo, kPartKinds> kParts = {
    {{"gain", "Gain", "A level of its own within the chain.", kGain},
     {"high_pass", "High-pass", "Takes away what lies under the voice.", kHighPass},
     {"limiter", "Limiter", "Holds true peaks under a ceiling; belongs at the end of a chain.", kLimiter}}};

}  // namespace

const PartInfo& info(PartKind kind) {
    return kParts[static_cast<std::size_t>(kind)];
}

ChainPart make_part(PartKind kind, int id) {
    ChainPart part{id, kind, true, {}};
    mend(part);
    return part;
}

void mend(ChainPart& part) {
    const auto& parameters = info(part.kind).parameters;
    part.values.resize(std::min(part.values.size(), parameters.size()));
    for (std::size_t i = 0; i < part.values.size(); ++i)
        part.values[i] = std::clamp(part.values[i], parameters[i].lowest, parameters[i].highest);
    while (part.values.size() < parameters.size())
        part.values.push_back(parameters[part.values.size()].standard);
}

}  // namespace rivlen
