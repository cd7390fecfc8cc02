// SPDX-License-Identifier: GPL-3.0-or-later
// The session with its undo and redo. Every step keeps the whole session: it is small, and so nothing can be
// forgotten. Not for several threads.
#pragma once

#include <cstddef>
#include <deque>
#include <functional>
#include <memory>
#include <string>

#include "core/project/session.h"

namespace rivlen {

class History {
  public:
    // More steps than this are not kept; the oldest go first.
    static constexpr int kMostSteps = 500;

    History();

    [[nodiscard]] const Session& session() const { return *states_[position_]; }
    // The same, to be held while it changes.
    [[nodiscard]] std::shared_ptr<const Session> state() const { return states_[position_]; }

    // One step. Changes with the same non-empty key that follow each other become one (a drag is one step)
    // until close_run() or until the session is saved. False when nothing changed.
    bool edit(const std::string& label, const std::string& key, const std::function<void(Session&)>& change);
    void close_run() { ++run_; }

    // False when there is nothing to undo or redo.
    bool undo();
    bool redo();
    [[nodiscard]] bool can_undo() const { return position_ > 0; }
    [[nodiscard]] bool can_redo() const { return position_ + 1 < states_.size(); }
    // What undo() and redo() would take back or do again; empty when there is nothing.
    [[nodiscard]] std::string undo_label() const;
    [[nodiscard]] std::string redo_label() const;

    // Steps behind the present session, and all that are kept.
    [[nodiscard]] int position() const { return static_cast<int>(position_); }
    [[nodiscard]] int count() const { return static_cast<int>(steps_.size()); }

    // The present session is what the file holds.
    void mark_saved() { saved_ = states_[position_]; }
    [[nodiscard]] bool saved() const { return saved_ == states_[position_]; }

    // Another session, without a past. saved: a file holds it.
    void begin(Session session, bool saved = true);
    // A fact about the present session that is no step: the hash of a recording's sound, once it is known.
    void note(const std::function<void(Session&)>& change);

  private:
    struct Step {
        std::string label, key;
        int run = 0;
    };
    std::deque<std::shared_ptr<Session>> states_;  // one more than steps
    std::deque<Step> steps_;                       // steps_[i] leads from states_[i] to states_[i + 1]
    std::size_t position_ = 0;                     // of the present state
    std::shared_ptr<Session> saved_;
    int run_ = 0;
};

}  // namespace rivlen
