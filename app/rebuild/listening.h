// SPDX-License-Identifier: GPL-3.0-or-later
// How the main bus is heard: folded down, on headphones through a measured head, or on the loudspeakers of a
// device that has more than two channels. It is how one listens, not part of the session, and stays from one
// start to the next.
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
    // Between this and fold-down.
    void toggle(Monitoring monitoring) {
        set_monitoring(monitoring_ == monitoring ? Monitoring::FoldDown : monitoring);
    }
    // What the device's channels are.
    void set_device(Layout device);
    [[nodiscard]] bool has_loudspeakers() const { return channels_of(device_) > kStereoChannels; }
    // The head's file (AES69); empty: the standard set.
    void choose_head(const std::filesystem::path& file);
    [[nodiscard]] std::filesystem::path head_file() const;
    [[nodiscard]] bool settled() const { return !opening_; }

  signals:
    void changed();
    void said(const QString& sentence, bool trouble);

  private:
    void apply();
    void tell_player();
    ConversionSettings told_;
    Document& document_;
    JobList& jobs_;
    MixPlayer& player_;
    Monitoring monitoring_ = Monitoring::FoldDown;
    Layout device_ = Layout::Stereo;
    std::filesystem::path chosen_;
    std::shared_ptr<const HeadResponses> head_;
    bool opening_ = false;
};

}  // namespace rivlen::app
