#include "app/tuning_panel.h"

#include <QHBoxLayout>
#include <QSignalBlocker>
#include <QVBoxLayout>

#include "app/theme.h"

namespace rivlen::app {

TuningPanel::TuningPanel(Document& document, QWidget* parent)
    : QWidget(parent),
      document_(document),
      mark_(new QLabel(this)),
      name_(new QLabel(this)),
      isolation_(new Rail(isolation_info(), this)),
      floor_(new Rail(floor_info(), this)),
      gain_(new Rail(gain_info(), this)),
      floor_on_(new QCheckBox(tr("Floor"), this)) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(10, 8, 10, 8);
    column->setSpacing(4);
    auto* head = new QHBoxLayout;
    QFont bold = font();
    bold.setBold(true);
    bold.setPointSizeF(bold.pointSizeF() + 2);
    name_->setFont(bold);
    head->addWidget(mark_);
    head->addWidget(name_, 1);
    column->addLayout(head);
    const auto help = [&](const ParameterInfo& info) {
        auto* label = new QLabel(QString("%1 %2").arg(tr(info.sentence), tr(info.too_much)), this);
        label->setWordWrap(true);
        QPalette palette = label->palette();
        palette.setColor(QPalette::WindowText, colour::kDim);
        label->setPalette(palette);
        return label;
    };
    isolation_->setObjectName("isolation");
    floor_->setObjectName("floor");
    gain_->setObjectName("gain");
    floor_on_->setObjectName("floor_on");
    column->addWidget(new QLabel(tr("Isolation"), this));
    column->addWidget(isolation_);
    column->addWidget(help(isolation_info()));
    column->addSpacing(6);
    column->addWidget(floor_on_);
    column->addWidget(floor_);
    column->addWidget(help(floor_info()));
    column->addSpacing(6);
    column->addWidget(new QLabel(tr("Gain"), this));
    column->addWidget(gain_);
    column->addWidget(help(gain_info()));
    column->addStretch(1);

    const auto bind = [this](Rail* rail, const char* label, double StemSettings::*member) {
        connect(rail, &Rail::moved, this, [this, label, member](double value) {
            document_.edit_settings(tr(label), QString("%1 %2").arg(label).arg(stem_),
                                    [&](ShapeSettings& settings) { settings.stems[stem_].*member = value; });
        });
        connect(rail, &Rail::released, this, [this] { document_.close_step(); });
    };
    bind(isolation_, "Isolation", &StemSettings::isolation_percent);
    bind(floor_, "Floor", &StemSettings::floor_db);
    bind(gain_, "Gain", &StemSettings::gain_db);
    connect(floor_on_, &QCheckBox::toggled, this, [this](bool on) {
        document_.edit_settings(tr("Floor"), {},
                                [&](ShapeSettings& settings) { settings.stems[stem_].floor_on = on; });
    });
    connect(&document_, &Document::session_changed, this, &TuningPanel::refresh);
    choose(0);
}

void TuningPanel::choose(std::size_t stem) {
    stem_ = stem;
    document_.close_step();
    mark_->setPixmap(stem_icon(stem).pixmap(22, 22));
    name_->setText(stem_label(stem));
    for (Rail* rail : {isolation_, floor_, gain_}) rail->set_colour(stem_colour(stem));
    refresh();
}

void TuningPanel::refresh() {
    const SessionItem* item = document_.current_item();
    setEnabled(item != nullptr);
    const StemSettings settings = item != nullptr ? item->settings.stems[stem_] : StemSettings{};
    isolation_->set_value(settings.isolation_percent);
    floor_->set_value(settings.floor_db);
    gain_->set_value(settings.gain_db);
    const QSignalBlocker quiet(floor_on_);
    floor_on_->setChecked(settings.floor_on);
    floor_->setEnabled(settings.floor_on);
}

}  // namespace rivlen::app
