// SPDX-License-Identifier: GPL-3.0-or-later
// Chosen clips are moved onto the same words or clap in the one that was chosen first, or get its tone.
#pragma once

#include <QObject>

#include "app/shell/document.h"
#include "app/shell/jobs.h"
#include "app/shell/selection.h"

namespace rivlen::app {

class Aligning : public QObject {
    Q_OBJECT
  public:
    Aligning(Document& document, JobList& jobs, Selection& selection, QObject* parent = nullptr)
        : QObject(parent), document_(document), jobs_(jobs), selection_(selection) {}

    void align_chosen();
    // An equaliser in the chain of the last one's track.
    void match_tone_of_chosen();
    [[nodiscard]] bool settled() const { return job_ == 0; }

  signals:
    void said(const QString& sentence, bool trouble);

  private:
    Document& document_;
    JobList& jobs_;
    Selection& selection_;
    int job_ = 0;
};

}  // namespace rivlen::app
