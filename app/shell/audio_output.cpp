// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/audio_output.h"

#include <QAudioDevice>
#include <QAudioFormat>
#include <QAudioSink>
#include <QMediaDevices>

namespace rivlen::app {

namespace {

// What the device reads from: the transport's callback side and nothing else.
class Tap : public QIODevice {
  public:
    Tap(Transport& transport, std::size_t channels) : tap_(transport, channels) { open(QIODevice::ReadOnly); }
    [[nodiscard]] bool isSequential() const override { return true; }
    [[nodiscard]] qint64 bytesAvailable() const override { return 1 << 16; }

  protected:
    qint64 readData(char* data, qint64 size) override {
        const auto frame = static_cast<qint64>(tap_.channels() * sizeof(float));
        const qint64 frames = size / frame;
        tap_.fill({reinterpret_cast<float*>(data), static_cast<std::size_t>(frames) * tap_.channels()});
        return frames * frame;
    }
    qint64 writeData(const char*, qint64) override { return -1; }

  private:
    DeviceTap tap_;
};

// As many channels as its layout has, of those that the device has itself: a server of sound takes more than
// are there, and mixes them down.
std::size_t channels_of_device(const QAudioDevice& device) {
    return channels_of(layout_of_device(device.preferredFormat().channelCount()));
}

}  // namespace

AudioOutput::AudioOutput(Transport& transport, QObject* parent) : QObject(parent), transport_(&transport) {
    open();
}
AudioOutput::~AudioOutput() {
    if (sink_) sink_->stop();
}

void AudioOutput::use(Transport& transport) {
    if (transport_ == &transport) return;
    transport_ = &transport;
    simulated_.reset();
    open();
}

void AudioOutput::follow_rate() {
    if (sink_ && rate_ != transport_->sample_rate()) open();
}

double AudioOutput::latency_seconds() const {
    return sink_ ? static_cast<double>(sink_->bufferSize()) / sink_->format().bytesPerFrame() / rate_ : 0.0;
}

void AudioOutput::open() {
    rate_ = transport_->sample_rate();
    if (sink_) sink_->stop();
    sink_.reset();
    const QString asked = qEnvironmentVariable("RIVLEN_OUTPUT");
    const bool driven = asked == "driven";
    const QAudioDevice device =
        driven || asked == "simulated" ? QAudioDevice() : QMediaDevices::defaultAudioOutput();
    QAudioFormat format;
    format.setSampleRate(rate_);
    format.setSampleFormat(QAudioFormat::Float);
    channels_ = channels_of_device(device);
    format.setChannelCount(static_cast<int>(channels_));
    if (!device.isFormatSupported(format)) {
        channels_ = kStereoChannels;
        format.setChannelCount(static_cast<int>(channels_));
    }
    if (device.isNull() || !device.isFormatSupported(format)) {
        name_ = tr("Simulated");
        channels_ = channels_of(layout_of_device(qEnvironmentVariableIntValue("RIVLEN_OUTPUT_CHANNELS")));
        if (!simulated_)
            simulated_ = std::make_unique<SimulatedOutput>(
                *transport_, driven ? SimulatedOutput::Pace::Driven : SimulatedOutput::Pace::Clock,
                qEnvironmentVariableIsSet("RIVLEN_KEEP_OUTPUT"), channels_);
        return;
    }
    simulated_.reset();
    name_ = device.description();
    tap_ = std::make_unique<Tap>(*transport_, channels_);
    sink_ = std::make_unique<QAudioSink>(device, format);
    sink_->setBufferSize(static_cast<qsizetype>(rate_ / 50) * format.bytesPerFrame());
    sink_->start(tap_.get());
}

}  // namespace rivlen::app
