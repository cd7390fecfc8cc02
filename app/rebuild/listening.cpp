// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/listening.h"

#include <QSettings>

#include "app/shell/chosen_head.h"
#include "app/widgets/text.h"

namespace rivlen::app {

namespace {
constexpr const char *kKey = "listening/by", *kHeadphones = "headphones", *kLoudspeakers = "loudspeakers";
}  // namespace

Listening::Listening(Document& document, JobList& jobs, MixPlayer& player, QObject* parent)
    : QObject(parent), document_(document), jobs_(jobs), player_(player) {
    const QString kept = QSettings().value(kKey).toString();
    if (kept == kHeadphones) monitoring_ = Monitoring::Headphones;
    if (kept == kLoudspeakers) monitoring_ = Monitoring::Loudspeakers;
    chosen_ = chosen_head();
    if (monitoring_ == Monitoring::Loudspeakers) tell_player();
    connect(&document_, &Document::session_changed, this, &Listening::apply);
}

std::filesystem::path Listening::head_file() const {
    return chosen_.empty() ? HeadResponses::standard_set() : chosen_;
}

void Listening::set_monitoring(Monitoring monitoring) {
    monitoring_ = monitoring;
    QSettings().setValue(kKey, monitoring == Monitoring::Headphones     ? kHeadphones
                               : monitoring == Monitoring::Loudspeakers ? kLoudspeakers
                                                                        : "fold-down");
    tell_player();
    apply();
    emit changed();
}

void Listening::set_device(Layout device) {
    if (device_ == device) return;
    device_ = device;
    player_.set_device(device);
    emit changed();
}

// As it is wanted, with the session's fold-down; headphones once there is a head.
void Listening::tell_player() {
    if (monitoring_ == Monitoring::Headphones && !head_) return;
    told_ = document_.timeline().conversion_settings();
    player_.set_monitoring(monitoring_, monitoring_ == Monitoring::Headphones ? head_ : nullptr, told_);
}

void Listening::choose_head(const std::filesystem::path& file) {
    chosen_ = file;
    head_.reset();
    choose_head_of_all(file);
    set_monitoring(Monitoring::Headphones);
}

// Opens the head at the session's rate, where that is not the one it has.
void Listening::apply() {
    if (document_.timeline().conversion_settings() != told_) tell_player();
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
            tell_player();
            apply();  // the session may have another rate by now
        },
        true);
}

}  // namespace rivlen::app
