// SPDX-License-Identifier: GPL-3.0-or-later
// What window, command line, files and tests need to know of a parameter, said once.
#pragma once

namespace rivlen {

struct ParameterInfo {
    const char* key;  // in files and options
    const char* label;
    const char* unit;
    double lowest, highest, standard, step;
    bool switchable;
    bool for_dialogue_only;
    const char* sentence;  // what it does
    const char* too_much;  // what too much of it sounds like
};

}  // namespace rivlen
