// SPDX-License-Identifier: GPL-3.0-or-later
// How the main bus is heard on the two channels of the output: folded down, or on headphones through a
// measured head. It is how one listens, not part of the session, and stays from one start to the next.
#pragma once

#include <QObject>
#include <filesystem>
#include <memory>

#include "app/shell/document.h"
#include "app/shell/jobs.h"
#include "core/play/mix_player.h"

namespace rivlen::app {

class Listening : public QObject {
    Q_OBJECT
  public:
    Listening(Document& document, JobList& jobs, MixPlayer& player, QObject* parent = nullptr);
    [[nodiscard]] Monitoring monitoring() const { return monitoring_; }
    void set_monitoring(Monitoring monitoring);
    void toggle() {
        set_monitoring(monitoring_ == Monitoring::FoldDown ? Monitoring::Headphones : Monitoring::FoldDown);
    }
    // The head's file (AES69); empty: the standard set.
    void choose_head(const std::filesystem::path& file);
    [[nodiscard]] std::filesystem::path head_file() const;
    [[nodiscard]] bool settled() const { return !opening_; }

  signals:
    void changed();
    void said(const QString& sentence, bool trouble);

  private:
    void apply();
    Document& document_;
    JobList& jobs_;
    MixPlayer& player_;
    Monitoring monitoring_ = Monitoring::FoldDown;
    std::filesystem::path chosen_;
    std::shared_ptr<const HeadResponses> head_;
    bool opening_ = false;
};

}  // namespace rivlen::app
