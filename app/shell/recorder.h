// SPDX-License-Identifier: GPL-3.0-or-later
// Recording from a microphone into a file; where there is no device (or RIVLEN_INPUT=simulated asks for it) a
// simulated one speaks a line of the demo.
#pragma once

#include <QIODevice>
#include <QObject>
#include <QTimer>
#include <filesystem>
#include <memory>
#include <optional>
#include <vector>

#include "core/base/result.h"
#include "core/media/sound_file.h"

class QAudioSource;

namespace rivlen::app {

class Recorder : public QObject {
    Q_OBJECT
  public:
    explicit Recorder(QObject* parent = nullptr);
    ~Recorder() override;  // ends what is being recorded; the file stays
    // Begins to write a mono WAV (32-bit float). Errors: those of SoundFileWriter.
    [[nodiscard]] Status start(const std::filesystem::path& file, int sample_rate);
    // Ends it; the file is there when this succeeds. Errors: Io, DiskFull; BadInput when nothing came in.
    [[nodiscard]] Status stop();
    [[nodiscard]] bool recording() const { return writer_.has_value(); }
    [[nodiscard]] std::int64_t frames() const { return frames_; }
    [[nodiscard]] QString device() const { return device_; }
    // Of the input that is recorded from at a rate.
    [[nodiscard]] static QString input_name(int sample_rate);
    // The simulated input speaks so many frames more. By itself it follows the clock, unless RIVLEN_INPUT is
    // "driven": then this alone makes it speak.
    void speak(std::int64_t frames);
    // The simulated input hears this instead.
    void hear(std::span<const float> samples) { take(samples); }

  signals:
    // Writing failed; what was written until then is in the file.
    void failed(const QString& sentence);

  private:
    void take(std::span<const float> samples);
    void simulate();
    void end_input();
    std::optional<SoundFileWriter> writer_;
    std::unique_ptr<QAudioSource> source_;
    QIODevice* stream_ = nullptr;  // the source's own
    QTimer clock_;
    std::vector<float> line_;  // that the simulated input speaks again and again
    std::size_t spoken_ = 0;
    qint64 begun_ms_ = 0;
    int rate_ = 48000;
    std::int64_t frames_ = 0, readable_frames_ = 0;
    QString device_;
};

}  // namespace rivlen::app
