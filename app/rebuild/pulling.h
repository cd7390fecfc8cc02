// SPDX-License-Identifier: GPL-3.0-or-later
// Chosen clips pulled up or down by a thousandth, as files of their own.
#pragma once

#include <QObject>

#include "app/shell/document.h"
#include "app/shell/jobs.h"
#include "app/shell/selection.h"
#include "core/workflow/pulling.h"

namespace rivlen::app {

class Pulling : public QObject {
    Q_OBJECT
  public:
    Pulling(Document& document, JobList& jobs, Selection& selection, QObject* parent = nullptr)
        : QObject(parent), document_(document), jobs_(jobs), selection_(selection) {}

    void pull_chosen(Pull pull);
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
