// SPDX-License-Identifier: GPL-3.0-or-later
// The figures of docs/model.md: what a model does with what it never learned from and was never chosen by.
#pragma once

#include <filesystem>
#include <map>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "engine/network.h"
#include "learn/evaluate.h"
#include "learn/telling/telling_mixes.h"

namespace rivlen::learn {

struct TellOptions {
    std::filesystem::path corpus, model;
    std::filesystem::path json;   // every figure; empty: none
    std::filesystem::path worst;  // folder for the ten mixes that come out worst; empty: none
    int per_kind = 30;
    int lone_voices = 200, lone_others = 100;
    double seconds = 10.0, lone_seconds = 6.0;
    bool oracle = false;  // the oracle ratio mask in place of the model
    int workers = 2;
};
// Prints tables in Markdown: gains by kind with 95 % intervals, lone parts, plain sounds. Errors: NotFound,
// BadInput.
[[nodiscard]] Status tell(const TellOptions& options);

// Where the energy of a plain sound goes. Dialogue and reverb together are the voice.
struct PlainResult {
    std::string name, stem;
    double right_share = 0.0;        // of the energy that the estimates hold, in the stem that it belongs to
    std::array<double, 3> shares{};  // voice, music, ambience
    [[nodiscard]] bool right() const { return right_share > 0.5; }
};
[[nodiscard]] std::vector<PlainResult> plain_results(SeparationNetwork& network, double seconds = 4.0);
[[nodiscard]] std::string plain_table(const std::vector<PlainResult>& results);

}  // namespace rivlen::learn
