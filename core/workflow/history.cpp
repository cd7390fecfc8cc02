// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/history.h"

namespace rivlen {

History::History() {
    begin({});
}

bool History::edit(const std::string& label, const std::string& key,
                   const std::function<void(Session&)>& change) {
    auto after = std::make_shared<Session>(session());
    change(*after);
    if (*after == session()) return false;
    states_.resize(position_ + 1);
    steps_.resize(position_);
    const bool goes_on =
        !steps_.empty() && !key.empty() && steps_.back().key == key && steps_.back().run == run_ && !saved();
    if (!goes_on) {
        states_.push_back(std::move(after));
        steps_.push_back({label, key, run_});
        if (count() > kMostSteps) {
            states_.pop_front();
            steps_.pop_front();
        }
    } else if (*after == *states_[position_ - 1]) {  // moved there and back
        states_.pop_back();
        steps_.pop_back();
    } else {
        states_.back() = std::move(after);
    }
    position_ = states_.size() - 1;
    return true;
}

bool History::undo() {
    if (!can_undo()) return false;
    --position_;
    close_run();
    return true;
}

bool History::redo() {
    if (!can_redo()) return false;
    ++position_;
    close_run();
    return true;
}

std::string History::undo_label() const {
    return can_undo() ? steps_[position_ - 1].label : std::string();
}

std::string History::redo_label() const {
    return can_redo() ? steps_[position_].label : std::string();
}

void History::begin(Session session, bool saved) {
    states_.clear();
    steps_.clear();
    states_.push_back(std::make_shared<Session>(std::move(session)));
    position_ = 0;
    saved_ = saved ? states_.front() : nullptr;
    close_run();
}

void History::note(const std::function<void(Session&)>& change) {
    change(*states_[position_]);
}

}  // namespace rivlen
