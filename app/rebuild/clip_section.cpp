// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/clip_section.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QSignalBlocker>
#include <cmath>

#include "app/widgets/controls.h"
#include "app/widgets/text.h"
#include "app/widgets/theme.h"
#include "core/project/editing.h"
#include "core/project/spotting.h"
#include "core/project/strip_parameters.h"

namespace rivlen::app {

ClipSection::ClipSection(Document& document, const std::vector<int>& clips, QWidget* parent)
    : Section(document, parent) {
    const int first = clips.front();
    const auto clip = [this, first] {
        const Clip* c = document_.timeline().clip(first);
        return c != nullptr ? *c : Clip();
    };
    const std::string name = clip().path.stem().string();
    add_heading(clips.size() == 1 ? tr("Clip: %1").arg(QString::fromStdString(name))
                                  : tr("%1 clips").arg(clips.size()));
    add_start(clips);
    auto* settings = new QComboBox(this);
    settings->setObjectName("clip_card");
    settings->setAccessibleName(tr("Settings of the clip"));
    settings->setToolTip(tr("Which settings shape what the clip plays."));
    settings->addItems({tr("Settings of the track"), tr("As tuned now")});
    for (std::size_t i = 0; i < kCards; ++i) settings->addItem(tr("Card %1").arg(i + 1));
    connect(settings, &QComboBox::activated, this, [this, clips](int index) {
        document_.edit_timeline(tr("Settings of clips"), {}, [&](Timeline& r) {
            for (const int id : clips) {
                if (Clip* c = r.clip(id))
                    c->card = index == 0 ? kTrackSettings : index == 1 ? kTunedSettings : index - 2;
            }
        });
    });
    on_refresh([settings, clip] {
        const int card = clip().card;
        const QSignalBlocker quiet(settings);
        settings->setCurrentIndex(card == kTrackSettings ? 0 : card == kTunedSettings ? 1 : card + 2);
        settings->setEnabled(clip().clip_source != ClipSource::Whole);
    });
    auto* row = new QHBoxLayout;
    row->setSpacing(4);
    row->addWidget(plays_choice(clips), 1);
    row->addWidget(settings, 1);
    column().addLayout(row);
    add_slider(
        kClipGain, "clip_gain", [clip] { return clip().gain_db; },
        [this, clips](double value) {
            document_.edit_timeline(tr("Gain of clips"), "clip gain",
                                    [&](Timeline& r) { set_clip_gain(r, clips, value); });
        });
    const auto fade = [this, clip, clips](bool in) {
        add_slider(
            in ? kFadeInMs : kFadeOutMs, in ? "clip_fade_in" : "clip_fade_out",
            [this, clip, in] {
                const Clip c = clip();
                return 1000.0 * static_cast<double>(in ? c.fade_in.frames : c.fade_out.frames) /
                       std::max(1, document_.timeline().sample_rate);
            },
            [this, clips, in](double ms) {
                document_.edit_timeline(in ? tr("Fade in") : tr("Fade out"), in ? "fade in" : "fade out",
                                        [&](Timeline& r) {
                                            for (const int id : clips) {
                                                const Clip* c = r.clip(id);
                                                if (c == nullptr) continue;
                                                Fade f = in ? c->fade_in : c->fade_out;
                                                f.frames = std::llround(ms / 1000 * r.sample_rate);
                                                set_fade(r, id, in, f);
                                            }
                                        });
            });
    };
    fade(true);
    fade(false);
    add_slider(
        kJointFade, "joint_fade", [this] { return document_.timeline().joint_fade_ms; },
        [this](double ms) {
            document_.edit_timeline(tr("Cross-fade of joints"), "joint fade",
                                    [ms](Timeline& r) { r.joint_fade_ms = ms; });
        });
    add_slider(
        kEdgeFade, "edge_fade", [this] { return document_.timeline().edge_fade_ms; },
        [this](double ms) {
            document_.edit_timeline(tr("Fade of edges"), "edge fade",
                                    [ms](Timeline& r) { r.edge_fade_ms = ms; });
        });
    auto* shape = new QComboBox(this);
    shape->setObjectName("fade_shape");
    shape->setAccessibleName(tr("Shape of the fades"));
    shape->addItems({tr("Linear fades"), tr("Equal-power fades"), tr("Smooth fades")});
    connect(shape, &QComboBox::activated, this, [this, clips](int index) {
        document_.edit_timeline(tr("Shape of fades"), {}, [&](Timeline& r) {
            for (const int id : clips) {
                Clip* c = r.clip(id);
                if (c != nullptr) c->fade_in.shape = c->fade_out.shape = static_cast<FadeShape>(index);
            }
        });
    });
    on_refresh([shape, clip] {
        const QSignalBlocker quiet(shape);
        shape->setCurrentIndex(static_cast<int>(clip().fade_in.shape));
    });
    column().addWidget(shape);
    if (clips.size() == 1) {
        auto* replace =
            make_button(tr("Replace…"), "replace",
                        tr("Other music in its place: as long at most, faded, and as loud."), this);
        connect(replace, &QToolButton::clicked, this, [this, first] { emit replace_wanted(first); });
        add_row({replace});
    }
}

// Where the first clip begins, as timecode; a typed one moves them all there.
QComboBox* ClipSection::plays_choice(const std::vector<int>& clips) {
    auto* plays = new QComboBox(this);
    plays->setObjectName("clip_plays");
    plays->setAccessibleName(tr("What the clip plays"));
    plays->setToolTip(
        tr("What of its recording the clip plays: all of it, what is kept of it, a stem, or a part of "
           "the music."));
    plays->addItems({tr("As it came"), tr("Kept")});
    for (std::size_t sound = 0; sound < kSounds; ++sound) plays->addItem(stem_icon(sound), stem_label(sound));
    connect(plays, &QComboBox::activated, this, [this, clips](int index) {
        document_.edit_timeline(tr("What clips play"), {}, [&](Timeline& r) {
            set_clip_source(r, clips, static_cast<ClipSource>(index));
        });
    });
    on_refresh([this, plays, first = clips.front()] {
        const Clip* clip = document_.timeline().clip(first);
        const QSignalBlocker quiet(plays);
        if (clip != nullptr) plays->setCurrentIndex(static_cast<int>(clip->clip_source));
    });
    return plays;
}

void ClipSection::add_start(const std::vector<int>& clips) {
    auto* start = new QLineEdit(this);
    start->setObjectName("clip_start");
    start->setAccessibleName(tr("Timecode at which the clip begins"));
    start->setToolTip(tr("Where the clip begins. Type a timecode to spot it there."));
    auto* label = new QLabel(tr("Begins at"), this);
    label->setBuddy(start);
    add_row({label, start});
    connect(start, &QLineEdit::editingFinished, this, [this, start, clips] {
        const Timeline& now = document_.timeline();
        const Clip* first = now.clip(clips.front());
        if (first == nullptr || start->text() == text(timecode_at(now, first->start))) return;
        const auto to = frame_of_timecode(now, start->text().trimmed().toStdString());
        if (!to) {
            emit said(tr("\"%1\" is no timecode on this session's line. Type it as %2.")
                          .arg(start->text(), text(timecode_at(now, first->start))),
                      false);
            return refresh();
        }
        const std::int64_t by = *to - first->start;
        document_.edit_timeline(tr("Spot clips"), {}, [&](Timeline& r) { move_clips(r, clips, by); });
        refresh();
    });
    on_refresh([this, start, id = clips.front()] {
        const Clip* clip = document_.timeline().clip(id);
        if (clip != nullptr && !start->hasFocus())
            start->setText(text(timecode_at(document_.timeline(), clip->start)));
    });
}

}  // namespace rivlen::app
