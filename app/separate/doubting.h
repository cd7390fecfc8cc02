// SPDX-License-Identifier: GPL-3.0-or-later
// What the program doubts of a split: found in the background once a recording is split, with the other
// model's opinion, while nothing waits for it.
#pragma once

#include <QObject>
#include <memory>
#include <vector>

#include "app/shell/document.h"
#include "app/shell/jobs.h"
#include "core/assessment/doubts.h"

namespace rivlen::app {

class Doubting : public QObject {
    Q_OBJECT
  public:
    Doubting(Document& document, JobList& jobs, QObject* parent = nullptr);
    // Of the current recording; empty until it has been looked at.
    [[nodiscard]] const DoubtLine& line() const { return found_.line; }
    // How the music is shared out to its parts; empty as long as it is not opened.
    [[nodiscard]] const DoubtLine& parts_line() const { return parts_; }
    // That of a sound: a stem's, or a part's of the music.
    [[nodiscard]] const DoubtLine& line_of(std::size_t sound) const {
        return is_music_part(sound) ? parts_ : found_.line;
    }
    [[nodiscard]] const std::vector<DoubtedPlace>& places() const { return found_.places; }
    [[nodiscard]] bool settled() const { return job_ == 0 && parts_job_ == 0; }

  signals:
    void changed();
    void said(const QString& sentence, bool trouble);

  private:
    struct Found {
        DoubtLine line;
        std::vector<DoubtedPlace> places;
    };
    void follow();
    void look_at_stems();
    void look_at_parts();
    void tell(const Error& error);
    Document& document_;
    JobList& jobs_;
    std::shared_ptr<const MaskMap> map_;  // as the model had it
    Found found_;
    DoubtLine parts_;
    int job_ = 0, parts_job_ = 0;
    int serial_ = 0;  // of the last look at the stems
};

}  // namespace rivlen::app
