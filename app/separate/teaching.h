// SPDX-License-Identifier: GPL-3.0-or-later
// Teaching the model the current recording: marks of what sounds alone, proposals for them, the background
// work, and what came of it.
#pragma once

#include <QObject>
#include <QString>
#include <memory>
#include <vector>

#include "app/shell/document.h"
#include "app/shell/jobs.h"
#include "core/assessment/lesson_proposals.h"
#include "core/workflow/teaching.h"

namespace rivlen::app {

class Teaching : public QObject {
    Q_OBJECT
  public:
    Teaching(Document& document, JobList& jobs, QObject* parent = nullptr);

    [[nodiscard]] const std::vector<TeachingMark>& marks() const;
    // The loop range as a mark; one that is there already changes its kind.
    void mark(std::size_t sound);
    void remove(std::size_t mark);
    // By seconds; the end alone, or all of it. Moves of one mark in a row are one step of the history.
    void move(std::size_t mark, double by_seconds);
    void move_end(std::size_t mark, double by_seconds);
    // The loop stands on it then, so that it can be heard.
    void go_to(const TeachingMark& mark);

    // Where something seems to sound alone; found in the background once the recording is split.
    [[nodiscard]] const std::vector<ProposedMark>& proposals() const { return proposals_; }
    void take(std::size_t proposal);

    void teach(int steps);
    [[nodiscard]] bool running() const { return job_ != 0; }
    // What came of the last teaching, or what to do first.
    [[nodiscard]] const QString& words() const { return words_; }
    [[nodiscard]] bool settled() const { return job_ == 0 && proposing_ == 0; }

    // Of the stems, or else of the parts of the music; both are used, or neither.
    [[nodiscard]] const TaughtModel* taught() const;
    void use_taught(bool on);
    void forget_taught();

  signals:
    void changed();
    void said(const QString& sentence, bool trouble);

  private:
    void follow_material();
    void take_outcome(const std::filesystem::path& recording, const std::filesystem::path& session,
                      const std::vector<TeachingMark>& marks, const Result<TeachingOutcomes>& done);
    // key: see Document::edit().
    void edit_marks(const QString& label, const QString& key,
                    const std::function<void(std::vector<TeachingMark>&)>& change);
    using MovedMark = TeachingMark (*)(const Source&, TeachingMark, std::int64_t);
    void edit_mark(std::size_t mark, double by_seconds, const QString& label, MovedMark moved);

    Document& document_;
    JobList& jobs_;
    std::vector<ProposedMark> proposals_;
    std::shared_ptr<const MaskMap> proposed_from_;
    int job_ = 0, proposing_ = 0;
    QString words_;
};

}  // namespace rivlen::app
