// SPDX-License-Identifier: GPL-3.0-or-later
// Something in the picture is followed, and the chosen track's place goes with it.
#pragma once

#include <QObject>
#include <QRectF>

#include "app/shell/document.h"
#include "app/shell/jobs.h"
#include "app/shell/selection.h"
#include "core/workflow/following_rules.h"

namespace rivlen::app {

class FollowActs : public QObject {
    Q_OBJECT
  public:
    FollowActs(Document& document, JobList& jobs, Selection& selection, QObject* parent = nullptr)
        : QObject(parent), document_(document), jobs_(jobs), selection_(selection) {}
    // box: around it in the picture at a frame of the session, of its width and height.
    void follow(QRectF box, std::int64_t frame, double aspect);
    [[nodiscard]] bool settled() const { return job_ == 0; }

  signals:
    void said(const QString& sentence, bool trouble);

  private:
    void write(int strip, const FollowedRange& range, const Following& following, double aspect);
    Document& document_;
    JobList& jobs_;
    Selection& selection_;
    int job_ = 0;
};

}  // namespace rivlen::app
