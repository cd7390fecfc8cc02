// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/start_page.h"

#include <QCoreApplication>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>

#include "app/widgets/controls.h"
#include "app/widgets/text.h"

namespace rivlen::app {

namespace {
constexpr int kActWidth = 240, kTextWidth = 560;
constexpr qsizetype kMostShown = 6;
}  // namespace

std::filesystem::path demo_session() {
    const std::filesystem::path program = QCoreApplication::applicationDirPath().toStdString();
    // Beside the sources it was built from, or as installed.
    for (const char* folder : {"../../../demo", "../share/rivlen/demo"}) {
        const auto session = program / folder / "tide-mill.rivlen";
        if (std::error_code error; std::filesystem::exists(session, error)) return session.lexically_normal();
    }
    return {};
}

StartPage::StartPage(QWidget* parent) : QWidget(parent) {
    setObjectName("start_page");
    auto* outer = new QHBoxLayout(this);
    auto* column = new QVBoxLayout;
    column->setSpacing(10);
    outer->addStretch(1);
    outer->addLayout(column);
    outer->addStretch(1);
    column->addStretch(2);
    auto* heading = new QLabel(tr("Part a mixed recording, tune what stays, and build it up again."), this);
    QFont large = heading->font();
    large.setPointSizeF(large.pointSizeF() * 1.6);
    heading->setFont(large);
    column->addWidget(heading);
    column->addSpacing(8);
    acts_ = new QVBoxLayout;
    acts_->setSpacing(8);
    column->addLayout(acts_);
    add_act(tr("Bring in a recording…"), "start_bring_in",
            tr("Sound, or a picture with sound. The file itself is never written to. It can be dropped here, "
               "too."),
            [this] { emit bring_in_wanted(); });
    add_act(tr("Open a session…"), "start_open", tr("Go on where you saved."),
            [this] { emit session_wanted(); });
    if (const auto demo = demo_session(); !demo.empty()) {
        add_act(tr("Look at the demo"), "start_demo",
                tr("A voice at a tide mill, over music and water, with its picture."),
                [this, demo] { emit open_wanted(demo); });
    }
    add_act(tr("Read the guide"), "start_guide",
            tr("The job from bringing in to handing over, and what to do when something sounds wrong."),
            [this] { emit guide_wanted(); });
    recent_area_ = new QWidget(this);
    recent_ = new QVBoxLayout(recent_area_);
    recent_->setContentsMargins(0, 14, 0, 0);
    column->addWidget(recent_area_);
    column->addStretch(3);
}

void StartPage::add_act(const QString& label, const QString& name, const QString& sentence,
                        const std::function<void()>& act) {
    auto* row = new QHBoxLayout;
    row->setSpacing(14);
    auto* button = make_button(label, name, sentence, this);
    button->setFixedWidth(kActWidth);
    connect(button, &QToolButton::clicked, this, act);
    auto* words = new QLabel(sentence, this);
    words->setWordWrap(true);
    words->setMinimumWidth(kTextWidth);
    row->addWidget(button);
    row->addWidget(words, 1);
    acts_->addLayout(row);
}

void StartPage::show_recent(const QStringList& sessions) {
    while (auto* item = recent_->takeAt(0)) {
        if (item->widget() != nullptr) item->widget()->deleteLater();
        delete item;
    }
    auto* heading = new QLabel(tr("Open last"), recent_area_);
    recent_->addWidget(heading);
    int shown = 0;
    for (const QString& session : sessions) {
        if (shown == kMostShown || !QFileInfo::exists(session)) continue;
        auto* row = new QWidget(recent_area_);
        auto* line = new QHBoxLayout(row);
        line->setContentsMargins(0, 0, 0, 0);
        line->setSpacing(14);
        auto* button = make_button(QFileInfo(session).completeBaseName(),
                                   QString("start_recent_%1").arg(shown), session, row);
        button->setFixedWidth(kActWidth);
        connect(button, &QToolButton::clicked, this,
                [this, session] { emit open_wanted(session.toStdString()); });
        auto* folder = new QLabel(QFileInfo(session).absolutePath(), row);
        dim(folder);
        line->addWidget(button);
        line->addWidget(folder, 1);
        recent_->addWidget(row);
        ++shown;
    }
    recent_area_->setVisible(shown > 0);
}

}  // namespace rivlen::app
