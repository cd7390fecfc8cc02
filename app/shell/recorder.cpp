// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/recorder.h"

#include <QAudioDevice>
#include <QAudioFormat>
#include <QAudioSource>
#include <QDateTime>
#include <QFile>
#include <QMediaDevices>
#include <QTemporaryDir>

#include "core/media/decode.h"

namespace rivlen::app {

namespace {

constexpr int kSimulatedMs = 10;
constexpr int kKeptReadableEach = 2;  // times a second: what a crash may take of a take

// Out of the program's own resources; silence should they be missing.
std::vector<float> demo_line(int sample_rate) {
    const QTemporaryDir folder;
    const QString file = folder.filePath("line.flac");
    if (!QFile::copy(":/sounds/line.flac", file))
        return std::vector<float>(static_cast<std::size_t>(sample_rate));
    auto audio = read_audio(file.toStdString(), sample_rate);
    return audio ? audio->take().front() : std::vector<float>(static_cast<std::size_t>(sample_rate));
}

QAudioFormat format_for(int sample_rate) {
    QAudioFormat format;
    format.setSampleRate(sample_rate);
    format.setChannelCount(1);
    format.setSampleFormat(QAudioFormat::Float);
    return format;
}

// Null: the simulated one.
QAudioDevice input_for(int sample_rate) {
    const QString asked = qEnvironmentVariable("RIVLEN_INPUT");
    if (asked == "driven" || asked == "simulated") return {};
    const QAudioDevice device = QMediaDevices::defaultAudioInput();
    return device.isFormatSupported(format_for(sample_rate)) ? device : QAudioDevice();
}

}  // namespace

QString Recorder::input_name(int sample_rate) {
    const QAudioDevice device = input_for(sample_rate);
    return device.isNull() ? tr("Simulated input") : device.description();
}

Recorder::Recorder(QObject* parent) : QObject(parent) {
    clock_.setInterval(kSimulatedMs);
    connect(&clock_, &QTimer::timeout, this, &Recorder::simulate);
}

Recorder::~Recorder() {
    if (!recording()) return;
    if (const Status kept = stop(); !kept) qWarning("%s", kept.error().message.c_str());
}

Status Recorder::start(const std::filesystem::path& file, int sample_rate) {
    std::error_code error;
    std::filesystem::create_directories(file.parent_path(), error);
    auto writer = SoundFileWriter::create(file, SoundFormat::WavFloat, sample_rate, 1);
    if (!writer) return writer.error();
    writer_ = std::move(*writer);
    rate_ = sample_rate;
    frames_ = readable_frames_ = 0;
    const QAudioDevice device = input_for(sample_rate);
    device_ = input_name(sample_rate);
    if (device.isNull()) {
        line_ = demo_line(sample_rate);
        spoken_ = 0;
        begun_ms_ = QDateTime::currentMSecsSinceEpoch();
        if (qEnvironmentVariable("RIVLEN_INPUT") != "driven") clock_.start();
        return {};
    }
    source_ = std::make_unique<QAudioSource>(device, format_for(sample_rate));
    stream_ = source_->start();
    if (stream_ == nullptr) {
        writer_.reset();
        return make_error(ErrorKind::Io,
                          "\"{}\" cannot be recorded from. Choose another input in the system's settings.",
                          device_.toStdString());
    }
    connect(stream_, &QIODevice::readyRead, this, [this] {
        const QByteArray bytes = stream_->readAll();
        take({reinterpret_cast<const float*>(bytes.constData()),
              static_cast<std::size_t>(bytes.size()) / sizeof(float)});
    });
    return {};
}

void Recorder::take(std::span<const float> samples) {
    if (!writer_ || samples.empty()) return;
    const std::vector<std::vector<float>> block = {{samples.begin(), samples.end()}};
    if (const Status status = writer_->write(block); !status) {
        const QString sentence = QString::fromStdString(status.error().message);
        end_input();
        auto writer = std::move(*writer_);
        writer_.reset();
        if (const Status kept = writer.commit_what_is_there(); !kept)
            qWarning("%s", kept.error().message.c_str());
        emit failed(sentence);
        return;
    }
    frames_ += static_cast<std::int64_t>(samples.size());
    if (frames_ - readable_frames_ < rate_ / kKeptReadableEach) return;
    readable_frames_ = frames_;
    writer_->keep_readable();
}

void Recorder::speak(std::int64_t frames) {
    std::vector<float> block;
    for (std::int64_t i = 0; i < frames; ++i) {
        block.push_back(line_[spoken_]);
        spoken_ = (spoken_ + 1) % line_.size();
    }
    take(block);
}

void Recorder::simulate() {
    speak((QDateTime::currentMSecsSinceEpoch() - begun_ms_) * rate_ / 1000 - frames_);
}

// Nothing more comes in.
void Recorder::end_input() {
    clock_.stop();
    if (source_) source_->stop();
    source_.reset();
    stream_ = nullptr;
}

Status Recorder::stop() {
    end_input();
    if (!writer_) return make_error(ErrorKind::Io, "Nothing is being recorded.");
    auto writer = std::move(*writer_);
    writer_.reset();
    if (frames_ == 0)
        return make_error(ErrorKind::BadInput,
                          "No sound came in. Check the input in the system's settings and record again.");
    return writer.commit();
}

}  // namespace rivlen::app
