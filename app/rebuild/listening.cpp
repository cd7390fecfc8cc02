// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/listening.h"

#include <QSettings>

#include "app/shell/chosen_head.h"
#include "app/widgets/text.h"

namespace rivlen::app {

Listening::Listening(Document& document, JobList& jobs, MixPlayer& player, QObject* parent)
    : QObject(parent), document_(document), jobs_(jobs), player_(player) {
    const QSettings settings;
    if (settings.value("listening/headphones", false).toBool()) monitoring_ = Monitoring::Headphones;
    chosen_ = chosen_head();
    connect(&document_, &Document::session_changed, this, &Listening::apply);
}

std::filesystem::path Listening::head_file() const {
    return chosen_.empty() ? HeadResponses::standard_set() : chosen_;
}

void Listening::set_monitoring(Monitoring monitoring) {
    monitoring_ = monitoring;
    QSettings().setValue("listening/headphones", monitoring == Monitoring::Headphones);
    if (monitoring == Monitoring::FoldDown) player_.set_monitoring(monitoring, nullptr);
    if (monitoring == Monitoring::Headphones && head_) player_.set_monitoring(monitoring, head_);
    apply();
    emit changed();
}

void Listening::choose_head(const std::filesystem::path& file) {
    chosen_ = file;
    head_.reset();
    choose_head_of_all(file);
    set_monitoring(Monitoring::Headphones);
}

// Opens the head at the session's rate, where that is not the one it has.
void Listening::apply() {
    const int rate = document_.timeline().sample_rate;
    if (monitoring_ != Monitoring::Headphones || rate <= 0 || opening_) return;
    if (head_ && head_->sample_rate() == rate) return;
    opening_ = true;
    jobs_.start_for<std::shared_ptr<const HeadResponses>>(
        tr("Opening head responses"),
        [file = head_file(), rate](const JobControl&) -> Result<std::shared_ptr<const HeadResponses>> {
            auto head = HeadResponses::open(file, rate);
            if (!head) return head.error();
            return std::make_shared<const HeadResponses>(std::move(*head));
        },
        [this](const Result<std::shared_ptr<const HeadResponses>>& head) {
            opening_ = false;
            if (!head) {
                set_monitoring(Monitoring::FoldDown);
                return emit said(text(head.error().message), true);
            }
            head_ = *head;
            if (monitoring_ == Monitoring::Headphones) player_.set_monitoring(monitoring_, head_);
            apply();  // the session may have another rate by now
        },
        true);
}

}  // namespace rivlen::app
