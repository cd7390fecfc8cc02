// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/first_look_dialog.h"

#include <QCheckBox>
#include <QDialogButtonBox>
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include "app/widgets/controls.h"
#include "app/widgets/text.h"

namespace rivlen::app {

namespace {

QLabel* sentence(const QString& text, bool faint, QWidget* parent) {
    auto* label = new QLabel(text, parent);
    label->setWordWrap(true);
    if (faint) dim(label);
    return label;
}

QString words_of(const Reverberation& echo) {
    QString out = echo.rt60_s > 0 ? QObject::tr("decays by 60 dB in %1 s").arg(echo.rt60_s, 0, 'f', 1)
                                  : QObject::tr("no decay to be measured");
    if (echo.drr_db) out += QObject::tr(", direct to reverberant %1 dB").arg(*echo.drr_db, 0, 'f', 0);
    return out;
}

}  // namespace

FirstLookDialog::FirstLookDialog(const QString& name, TrackLook look, const QString& act, QWidget* parent)
    : QDialog(parent), look_(std::move(look)) {
    setObjectName("first_look_dialog");
    setWindowTitle(tr("First look at %1").arg(name));
    setMinimumWidth(640);
    auto* column = new QVBoxLayout(this);
    column->setSpacing(10);
    auto* kind = new QLabel(words(label_of(look_.look.material)), this);
    kind->setObjectName("first_look_kind");
    QFont font = kind->font();
    font.setBold(true);
    font.setPointSizeF(font.pointSizeF() * 1.3);
    kind->setFont(font);
    column->addWidget(kind);
    column->addWidget(sentence(QString::fromStdString(look_.look.sentence), false, this));
    auto* grid = new QGridLayout;
    grid->setHorizontalSpacing(14);
    grid->setVerticalSpacing(7);
    grid->setColumnStretch(1, 1);
    int row = 0;
    // What was found stands above what was not.
    for (const bool found : {true, false}) {
        for (const auto& finding : look_.look.findings) {
            if (finding.found != found) continue;
            const QString label = words(label_of(finding.fault));
            if (finding.proposal) {
                auto* box = new QCheckBox(label, this);
                box->setObjectName(QString("take_%1").arg(key_of(finding.fault)));
                box->setChecked(true);
                box->setToolTip(tr("Unticked it goes into the chain, too, but switched off."));
                grid->addWidget(box, row, 0, Qt::AlignTop);
                boxes_.emplace_back(finding.fault, box);
            } else {
                grid->addWidget(sentence(label, !found, this), row, 0, Qt::AlignTop);
            }
            grid->addWidget(sentence(QString::fromStdString(finding.sentence), !found, this), row, 1);
            ++row;
        }
    }
    column->addLayout(grid);
    if (look_.recording) {
        auto* echo = sentence(tr("Echo of the recording: %1.\nAs this track plays it: %2.")
                                  .arg(words_of(*look_.recording), words_of(look_.look.echo)),
                              false, this);
        echo->setObjectName("first_look_echo");
        column->addWidget(echo);
    }
    column->addStretch(1);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, this);
    if (!boxes_.empty()) {
        auto* take = buttons->addButton(act, QDialogButtonBox::AcceptRole);
        take->setObjectName("first_look_take");
        take->setDefault(true);
    }
    buttons->button(QDialogButtonBox::Close)->setIcon({});
    connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    column->addWidget(buttons);
}

std::vector<Fault> FirstLookDialog::taken() const {
    std::vector<Fault> out;
    for (const auto& [fault, box] : boxes_) {
        if (box->isChecked()) out.push_back(fault);
    }
    return out;
}

}  // namespace rivlen::app
