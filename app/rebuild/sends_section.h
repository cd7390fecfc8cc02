// SPDX-License-Identifier: GPL-3.0-or-later
// The sends of a track: a row each, with level, before or behind the fader.
#pragma once

#include "app/rebuild/section.h"
#include "app/rebuild/strip_header.h"

namespace rivlen::app {

class SendsSection : public Section {
    Q_OBJECT
  public:
    SendsSection(Document& document, int track, const SetStripValue& set_value, QWidget* parent);
    void follow_playhead(SessionFrame playhead) { playhead_ = playhead; }

  private:
    void add_send_row(int bus, const SetStripValue& set_value);
    void fill_menu(QMenu& menu);
    void send_to(int bus);
    void edit_send(const QString& label, int bus, const std::function<void(Send&)>& change);
    int track_;
    SessionFrame playhead_;
};

}  // namespace rivlen::app
