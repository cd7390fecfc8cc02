// SPDX-License-Identifier: GPL-3.0-or-later
// The sound device, or a simulated one where there is none, or where RIVLEN_OUTPUT asks for it: "simulated"
// goes with the clock, "driven" waits for a test to ask for sound; RIVLEN_OUTPUT_CHANNELS says how many it
// has.
#pragma once

#include <QIODevice>
#include <QObject>
#include <memory>

#include "core/play/simulated_output.h"
#include "core/play/transport.h"

class QAudioSink;

namespace rivlen::app {

class AudioOutput : public QObject {
    Q_OBJECT
  public:
    explicit AudioOutput(Transport& transport, QObject* parent = nullptr);
    ~AudioOutput() override;
    // Takes its sound from this one from now on.
    void use(Transport& transport);
    // Opens the device anew when the rate of what is played has changed.
    void follow_rate();
    // How much later than the transport hands it out sound is heard.
    [[nodiscard]] double latency_seconds() const;
    [[nodiscard]] QString name() const { return name_; }
    // What its loudspeakers are, by how many channels it has of its own.
    [[nodiscard]] Layout layout() const { return layout_of_device(static_cast<int>(channels_)); }
    // The simulated output, for tests; null when a device is in use.
    [[nodiscard]] SimulatedOutput* simulated() { return simulated_.get(); }

  private:
    void open();
    Transport* transport_;
    int rate_ = 0;
    QString name_;
    std::size_t channels_ = kStereoChannels;
    std::unique_ptr<QIODevice> tap_;
    std::unique_ptr<QAudioSink> sink_;
    std::unique_ptr<SimulatedOutput> simulated_;
};

}  // namespace rivlen::app
