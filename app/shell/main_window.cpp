// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/main_window.h"

#include <QActionGroup>
#include <QApplication>
#include <QButtonGroup>
#include <QCloseEvent>
#include <QComboBox>
#include <QDialog>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QMenuBar>
#include <QMessageBox>
#include <QMimeData>
#include <QSettings>
#include <QSignalBlocker>
#include <QStackedWidget>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "app/widgets/controls.h"
#include "app/widgets/theme.h"
#include "core/delivery/export.h"
#include "core/dsp/decibels.h"
#include "core/workflow/putting_back.h"

namespace rivlen::app {

namespace {

namespace fs = std::filesystem;

constexpr int kHeaderWidth = 138;
constexpr std::size_t kMostRecent = 8;

QString text(const fs::path& path) {
    return QString::fromStdString(path.string());
}

}  // namespace

MainWindow::MainWindow(const fs::path& work_folder, QWidget* parent)
    : QMainWindow(parent), document_(jobs_, work_folder), output_(player_), measuring_(document_, jobs_) {
    gains_.fill(1.0F);
    setAcceptDrops(true);
    setWindowIcon(QIcon(":/icons/rivlen.svg"));
    resize(1280, 800);
    auto* centre = new QWidget(this);
    auto* column = new QVBoxLayout(centre);
    column->setContentsMargins(6, 4, 6, 4);
    column->setSpacing(4);
    column->addWidget(build_top());
    stack_ = new QStackedWidget(centre);
    auto* separate = new QWidget(stack_);
    auto* separate_column = new QVBoxLayout(separate);
    separate_column->setContentsMargins(0, 0, 0, 0);
    separate_column->setSpacing(4);
    auto* middle = new QHBoxLayout;
    middle->setSpacing(6);
    middle->addWidget(build_lanes(), 1);
    middle->addWidget(build_side());
    separate_column->addLayout(middle, 1);
    cards_ = new CardRow(document_, measuring_, this);
    cards_->setObjectName("cards");
    connect(cards_, &CardRow::said, this, &MainWindow::say);
    separate_column->addWidget(cards_);
    separate_column->addWidget(build_transport());
    stack_->addWidget(separate);
    rebuild_ = new RebuildView(document_, jobs_, mix_player_, stack_);
    connect(rebuild_, &RebuildView::said, this, &MainWindow::say);
    stack_->addWidget(rebuild_);
    handover_ = new HandoverView(document_, jobs_, stack_);
    connect(handover_, &HandoverView::said, this, &MainWindow::say);
    stack_->addWidget(handover_);
    column->addWidget(stack_, 1);
    setCentralWidget(centre);
    build_menus();

    connect(&document_, &Document::session_changed, this, &MainWindow::follow_session);
    connect(&document_, &Document::material_changed, this, &MainWindow::follow_material);
    connect(&document_, &Document::said, this, &MainWindow::say);
    connect(&document_, &Document::media_missing, this, [this](const QString& path) {
        say(tr("\"%1\" is not there any more. Use Recording, Find missing… to show where it is.").arg(path),
            true);
    });
    connect(tuning_, &TuningPanel::line_wanted, this, &MainWindow::open_line);
    connect(line_, &LineEditor::opened_or_closed, this, [this] { tuning_->show_line(line_->setting()); });
    connect(lanes_, &LaneCanvas::lane_clicked, this, [this](int lane) {
        if (lane > 0) choose_stem(lane - 1);
    });
    clock_.setInterval(16);
    connect(&clock_, &QTimer::timeout, this, &MainWindow::follow_time);
    clock_.start();
    match_timer_.setSingleShot(true);
    match_timer_.setInterval(120);
    connect(&match_timer_, &QTimer::timeout, this, &MainWindow::measure_match_soon);
    message_timer_.setSingleShot(true);
    connect(&message_timer_, &QTimer::timeout, this, [this] { message_->clear(); });
    choose_stem(0);
    follow_session();
    follow_material();
    show_view(View::Separate);
}

MainWindow::~MainWindow() {
    jobs_.cancel_all();
    player_.stop();
    mix_player_.stop();
}

QWidget* MainWindow::build_top() {
    auto* bar = new QWidget(this);
    auto* line = new QHBoxLayout(bar);
    line->setContentsMargins(0, 0, 0, 0);
    auto* bring = make_button(tr("Bring in…"), "bring_in",
                              tr("Bring in a recording, with or without picture (Ctrl+B)."), bar);
    split_ = make_button(tr("Split"), "split",
                         tr("Part the recording into dialogue, reverb, music and ambience (K)."), bar);
    write_ = make_button(tr("Write stems…"), "write_stems", tr("Write the stems as files (Ctrl+E)."), bar);
    lay_back_ =
        make_button(tr("Put back…"), "put_back",
                    tr("Put what is kept back under the picture, which is copied untouched (Ctrl+U)."), bar);
    recordings_ = new QComboBox(bar);
    recordings_->setObjectName("recordings");
    recordings_->setAccessibleName(tr("Recording"));
    recordings_->setMinimumWidth(170);
    message_ = new QLabel(bar);
    message_->setObjectName("message");
    message_->setWordWrap(true);
    message_->setAccessibleName(tr("Messages"));
    auto* list = new JobListView(jobs_, bar);
    list->setFixedWidth(300);
    const std::array<QString, 3> views = {tr("Separate"), tr("Rebuild"), tr("Hand over")};
    auto* view_group = new QButtonGroup(this);
    for (std::size_t v = 0; v < views.size(); ++v) {
        view_buttons_[v] = make_button(views[v], QString("view_%1").arg(v + 1),
                                       tr("%1 (%2).").arg(views[v]).arg(v + 1), bar);
        view_buttons_[v]->setCheckable(true);
        view_group->addButton(view_buttons_[v]);
        line->addWidget(view_buttons_[v]);
        connect(view_buttons_[v], &QToolButton::clicked, this,
                [this, v] { show_view(static_cast<View>(v)); });
    }
    line->addSpacing(6);
    line->addWidget(recordings_);
    for (auto* b : {bring, split_, write_, lay_back_}) line->addWidget(b);
    line->addWidget(message_, 1);
    line->addWidget(list);
    connect(bring, &QToolButton::clicked, this, [this] {
        const QString file = QFileDialog::getOpenFileName(this, tr("Bring in a recording"));
        if (!file.isEmpty()) open_path(file.toStdString());
    });
    connect(split_, &QToolButton::clicked, &document_, [this] { document_.split(); });
    connect(write_, &QToolButton::clicked, this, [this] {
        const QString folder = QFileDialog::getExistingDirectory(this, tr("Folder for the stems"));
        if (!folder.isEmpty()) write_stems_to(folder.toStdString(), false);
    });
    connect(lay_back_, &QToolButton::clicked, this, [this] {
        const auto* item = document_.current_item();
        if (item == nullptr) return;
        const fs::path suggestion = item->path.parent_path() / (item->path.stem().string() + " kept.mov");
        const QString file = QFileDialog::getSaveFileName(
            this, tr("Put back under the picture"), text(suggestion), tr("Pictures (*.mov *.mp4 *.mkv)"));
        if (!file.isEmpty()) lay_back_to(file.toStdString(), true);  // the dialog has asked
    });
    connect(recordings_, &QComboBox::activated, this, [this](int index) {
        document_.edit(tr("Show another recording"), {}, [index](Session& s) { s.current = index; });
    });
    return bar;
}

QWidget* MainWindow::build_lanes() {
    auto* area = new QWidget(this);
    auto* grid = new QGridLayout(area);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setSpacing(3);
    strip_ = new TimeStrip(document_, player_, view_, area);
    lanes_ = new LaneCanvas(document_, player_, view_, area);
    lanes_->setObjectName("lanes");
    strip_->setObjectName("strip");
    line_ = new LineEditor(document_, view_, *lanes_);
    auto* headers = new QWidget(area);
    headers->setFixedWidth(kHeaderWidth);
    auto* column = new QVBoxLayout(headers);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(3);
    for (int lane = 0; lane < kLanes; ++lane) {
        auto* header = new QWidget(headers);
        auto* box = new QVBoxLayout(header);
        box->setContentsMargins(4, 6, 4, 4);
        box->setSpacing(4);
        if (lane == 0) {
            auto* name = new QLabel(tr("Source"), header);
            box->addWidget(name);
            auto* note = new QLabel(tr("as brought in"), header);
            QPalette palette = note->palette();
            palette.setColor(QPalette::WindowText, colour::kDim);
            note->setPalette(palette);
            box->addWidget(note);
        } else {
            const auto s = static_cast<std::size_t>(lane - 1);
            const QString key = kStemNames[s];
            names_[s] = make_button(stem_label(s), "stem_" + key,
                                    tr("Choose this stem for tuning (arrow up, arrow down)."), header);
            names_[s]->setProperty("drawn",
                                   true);  // its icon has the stem's colour: no bright ground behind it
            names_[s]->setIcon(stem_icon(s));
            names_[s]->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
            names_[s]->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
            connect(names_[s], &QToolButton::clicked, this, [this, s] { choose_stem(static_cast<int>(s)); });
            solo_[s] = make_button(tr("Solo"), "solo_" + key,
                                   tr("Hear and keep only the stems with solo (O)."), header);
            mute_[s] = make_button(tr("Mute"), "mute_" + key, tr("Leave this stem out of what is kept (M)."),
                                   header);
            auto* pair = new QHBoxLayout;
            for (auto* b : {solo_[s], mute_[s]}) {
                b->setCheckable(true);
                b->setAccessibleName(QString("%1 %2").arg(b->text(), stem_label(s)));
                pair->addWidget(b);
            }
            box->addWidget(names_[s]);
            box->addLayout(pair);
            connect(solo_[s], &QToolButton::clicked, this, [this, s](bool on) {
                document_.edit_settings(tr("Solo"), {}, [&](ShapeSettings& x) { x.stems[s].solo = on; });
            });
            connect(mute_[s], &QToolButton::clicked, this, [this, s](bool on) {
                document_.edit_settings(tr("Mute"), {}, [&](ShapeSettings& x) { x.stems[s].mute = on; });
            });
        }
        box->addStretch(1);
        column->addWidget(header, 1);
    }
    grid->addWidget(strip_, 0, 1);
    grid->addWidget(headers, 1, 0);
    grid->addWidget(lanes_, 1, 1);
    risk_ = new RiskStrip(document_, measuring_, view_, area);
    risk_->setObjectName("risk");
    auto* risk_label = new QLabel(tr("Risk"), area);
    risk_label->setContentsMargins(4, 0, 0, 0);
    risk_label->setToolTip(risk_->toolTip());
    grid->addWidget(risk_label, 2, 0);
    grid->addWidget(risk_, 2, 1);
    grid->setColumnStretch(1, 1);
    return area;
}

QWidget* MainWindow::build_side() {
    auto* side = new QWidget(this);
    side->setFixedWidth(330);
    auto* column = new QVBoxLayout(side);
    column->setContentsMargins(0, 0, 0, 0);
    picture_ = new PicturePane(side);
    picture_->setFixedHeight(96);
    picture_->setVisible(false);
    tuning_ = new TuningPanel(document_, measuring_, side);
    column->addWidget(picture_);
    column->addWidget(tuning_, 1);
    return side;
}

QWidget* MainWindow::build_transport() {
    auto* bar = new QWidget(this);
    auto* line = new QHBoxLayout(bar);
    line->setContentsMargins(0, 2, 0, 0);
    play_ = make_button(tr("Play"), "play", tr("Play or stop (Space)."), bar);
    loop_ = make_button(tr("Loop"), "loop",
                        tr("Play the loop range again and again (L). Drag over the lanes to set it."), bar);
    loop_->setCheckable(true);
    time_ = new QLabel(bar);
    time_->setFont(number_font());
    time_->setMinimumWidth(112);
    time_->setAccessibleName(tr("Playhead"));
    line->addWidget(play_);
    line->addWidget(loop_);
    line->addWidget(time_);
    line->addSpacing(14);
    line->addWidget(new QLabel(tr("Listen to"), bar));
    const std::array<QString, kMonitors> labels = {tr("Source"),  tr("Kept"),    tr("Removed"), stem_label(0),
                                                   stem_label(1), stem_label(2), stem_label(3)};
    const std::array<QString, kMonitors> names = {"source", "kept",  "removed", "dialogue",
                                                  "reverb", "music", "ambience"};
    auto* group = new QButtonGroup(this);
    for (std::size_t m = 0; m < kMonitors; ++m) {
        monitors_[m] =
            make_button(labels[m], "monitor_" + names[m],
                        m < 3 ? tr("Listen to: %1.").arg(labels[m]) : tr("Listen to this stem alone."), bar);
        monitors_[m]->setCheckable(true);
        group->addButton(monitors_[m]);
        if (m >= 3) monitors_[m]->setProperty("drawn", true);
        if (m >= 3) monitors_[m]->setIcon(stem_icon(m - 3));
        if (m >= 3) monitors_[m]->setToolButtonStyle(Qt::ToolButtonIconOnly);
        connect(monitors_[m], &QToolButton::clicked, this,
                [this, m] { set_monitor(static_cast<Monitor>(m)); });
        line->addWidget(monitors_[m]);
    }
    level_match_ =
        make_button(tr("Level match"), "level_match",
                    tr("All ways of listening are made as loud as the source over the loop, so that "
                       "the louder one does not seem better (G)."),
                    bar);
    level_match_->setCheckable(true);
    match_ = new QLabel(bar);
    match_->setFont(number_font());
    match_->setMinimumWidth(64);
    match_->setObjectName("match_gain");
    line->addWidget(level_match_);
    line->addWidget(match_);
    line->addStretch(1);
    sum_ = new QLabel(bar);
    sum_->setObjectName("sum");
    sum_->setToolTip(tr("Peak of the difference between the four neutral stems together and the source."));
    line->addWidget(sum_);
    line->addSpacing(8);
    meter_ = new QLabel(bar);
    meter_->setFont(number_font());
    meter_->setMinimumWidth(84);
    meter_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    meter_->setAccessibleName(tr("Peak level"));
    device_ = new QLabel(output_.name(), bar);
    line->addWidget(meter_);
    line->addSpacing(8);
    line->addWidget(device_);
    connect(play_, &QToolButton::clicked, this,
            [this] { player_.playing() ? player_.stop() : player_.play(); });
    connect(loop_, &QToolButton::clicked, this, [this] { toggle_loop(); });
    connect(level_match_, &QToolButton::clicked, this, [this](bool on) {
        document_.edit(tr("Level match"), {}, [on](Session& s) { s.level_match = on; });
    });
    return bar;
}

QAction* MainWindow::add_act(QMenu* menu, const QString& label, const QList<QKeySequence>& keys,
                             const std::function<void()>& act) {
    auto* action = menu->addAction(label);
    action->setShortcuts(keys);
    connect(action, &QAction::triggered, this, act);
    std::optional<View> view;
    for (const auto& entry : view_menus_) {
        if (entry.menu == menu) view = entry.view;
    }
    QStringList names;
    for (const auto& key : keys) names << key.toString(QKeySequence::NativeText);
    if (!names.isEmpty())
        keys_.push_back({QString(label).remove(QChar(0x2026)), names.join(tr(" or ")), view});
    return action;
}

void MainWindow::build_menus() {
    auto* session = menuBar()->addMenu(tr("Session"));
    add_act(session, tr("New"), {QKeySequence::New}, [this] {
        if (may_discard()) document_.new_session();
    });
    add_act(session, tr("Open…"), {QKeySequence::Open}, [this] {
        if (!may_discard()) return;
        const QString file =
            QFileDialog::getOpenFileName(this, tr("Open a session"), {}, tr("Rivlen sessions (*.rivlen)"));
        if (!file.isEmpty()) open_path(file.toStdString());
    });
    recent_ = session->addMenu(tr("Recent"));
    recent_->setObjectName("recent");
    connect(recent_, &QMenu::aboutToShow, this, &MainWindow::fill_recent);
    add_act(session, tr("Save"), {QKeySequence::Save}, [this] { save(false); });
    add_act(session, tr("Save as…"), {QKeySequence("Ctrl+Shift+S")}, [this] { save(true); });
    session->addSeparator();
    add_act(session, tr("Quit"), {QKeySequence::Quit}, [this] { close(); });

    auto* edit = menuBar()->addMenu(tr("Edit"));
    auto* undo = document_.undo_stack().createUndoAction(this, tr("Undo"));
    undo->setShortcuts({QKeySequence::Undo});
    auto* redo = document_.undo_stack().createRedoAction(this, tr("Redo"));
    redo->setShortcuts({QKeySequence::Redo});
    edit->addAction(undo);
    edit->addAction(redo);
    keys_.push_back({tr("Undo"), undo->shortcut().toString()});
    keys_.push_back({tr("Redo"), redo->shortcut().toString()});

    auto* recording = menuBar()->addMenu(tr("Recording"));
    add_act(recording, tr("Bring in…"), {QKeySequence("Ctrl+B")},
            [this] { findChild<QToolButton*>("bring_in")->click(); });
    add_act(recording, tr("Split"), {QKeySequence("K")}, [this] { document_.split(); });
    auto* finely = add_act(recording, tr("Split finely"), {QKeySequence("Shift+K")},
                           [this] { document_.split(kFineModel); });
    finely->setToolTip(tr("Separates better and takes longer."));
    finely->setEnabled(!find_model(kFineModel).empty());
    auto* channels = recording->addMenu(tr("Channels"));
    channels->setObjectName("channels");
    const std::array how = {tr("Split together"), tr("Split in pairs"), tr("Split each alone")};
    auto* one_of_them = new QActionGroup(channels);
    for (std::size_t i = 0; i < how.size(); ++i) {
        auto* action = add_act(channels, how[i], {},
                               [this, i] { document_.set_channels(static_cast<ChannelGrouping>(i)); });
        action->setCheckable(true);
        one_of_them->addAction(action);
    }
    channels->setToolTipsVisible(true);
    one_of_them->actions()[2]->setToolTip(tr("For microphones of their own."));
    connect(channels, &QMenu::aboutToShow, this, [this, one_of_them] {
        const auto* item = document_.current_item();
        const auto source = document_.source();
        one_of_them->setEnabled(source && source->channels() > 1 && !document_.splitting());
        if (item != nullptr) one_of_them->actions()[static_cast<int>(item->channels)]->setChecked(true);
    });
    add_act(recording, tr("First look…"), {QKeySequence("Ctrl+I")}, [this] { look_at_recording(); });
    add_act(recording, tr("Write stems…"), {QKeySequence("Ctrl+E")}, [this] { write_->click(); });
    add_act(recording, tr("Put back under the picture…"), {QKeySequence("Ctrl+U")},
            [this] { lay_back_->click(); });
    add_act(recording, tr("Find missing…"), {}, [this] {
        const auto missing = missing_media(document_.session());
        if (missing.empty()) return say(tr("Nothing is missing."), false);
        const QString file =
            QFileDialog::getOpenFileName(this, tr("Where is %1?").arg(text(missing.front().filename())));
        if (!file.isEmpty()) document_.relocate(missing.front(), file.toStdString());
    });

    auto* listen = add_menu(tr("Listen"), View::Separate);
    add_act(listen, tr("Play or stop"), {QKeySequence("Space")}, [this] { play_->click(); });
    add_act(listen, tr("Source"), {QKeySequence("A")}, [this] { set_monitor(Monitor::Source); });
    add_act(listen, tr("Kept"), {QKeySequence("S")}, [this] { set_monitor(Monitor::Kept); });
    add_act(listen, tr("Removed"), {QKeySequence("D")}, [this] { set_monitor(Monitor::Removed); });
    add_act(listen, tr("Chosen stem alone"), {QKeySequence("F")},
            [this] { set_monitor(static_cast<Monitor>(static_cast<int>(Monitor::Dialogue) + stem_)); });
    add_act(listen, tr("Level match"), {QKeySequence("G")}, [this] { level_match_->click(); });
    add_act(listen, tr("Loop on or off"), {QKeySequence("L")}, [this] { toggle_loop(); });
    add_act(listen, tr("Loop with more or no pre-roll"), {QKeySequence("Shift+L")},
            [this] { step_pre_roll(); });
    add_act(listen, tr("Go to the start"), {QKeySequence("Home")}, [this] {
        const auto* item = document_.current_item();
        const auto loop = item != nullptr ? item->heard_loop() : std::nullopt;
        player_.locate(loop ? loop->first : 0);
    });
    const auto nudge = [this](double frames) {
        if (!shown_source_) return;
        player_.locate(player_.position() +
                       static_cast<std::int64_t>(frames * strip_->time_text().frame_seconds() *
                                                 shown_source_->sample_rate()));
    };
    add_act(listen, tr("One frame back"), {QKeySequence(",")}, [nudge] { nudge(-1); });
    add_act(listen, tr("One frame on"), {QKeySequence(".")}, [nudge] { nudge(1); });

    auto* stems = add_menu(tr("Stem"), View::Separate);
    add_act(stems, tr("Stem above"), {QKeySequence("Up")}, [this] { choose_stem(std::max(0, stem_ - 1)); });
    add_act(stems, tr("Stem below"), {QKeySequence("Down")},
            [this] { choose_stem(std::min(kStems - 1, stem_ + 1)); });
    add_act(stems, tr("Solo"), {QKeySequence("O")},
            [this] { solo_[static_cast<std::size_t>(stem_)]->click(); });
    add_act(stems, tr("Mute"), {QKeySequence("M")},
            [this] { mute_[static_cast<std::size_t>(stem_)]->click(); });
    const auto isolate = [this](double by) {
        const auto stem = static_cast<std::size_t>(stem_);
        const double now = document_.shown_settings().stems[stem].value(Setting::Isolation);
        document_.set_value(tr("Isolation"), stem, Setting::Isolation, std::clamp(now + by, 0.0, 100.0));
    };
    add_act(stems, tr("Less isolation"), {QKeySequence("[")}, [isolate] { isolate(-5); });
    add_act(stems, tr("More isolation"), {QKeySequence("]")}, [isolate] { isolate(5); });

    auto* tune = add_menu(tr("Tune"), View::Separate);
    add_act(tune, tr("Take the proposal"), {QKeySequence("P")}, [this] { tuning_->take_proposal(); });
    add_act(tune, tr("Next worst spot"), {QKeySequence("N")}, [this] { risk_->step(1); });
    add_act(tune, tr("Worse spot before"), {QKeySequence("Shift+N")}, [this] { risk_->step(-1); });
    for (std::size_t i = 0; i < kCards; ++i) {
        const QString key = QString("F%1").arg(i + 2);
        add_act(tune, tr("Take card %1").arg(i + 1), {QKeySequence(key)}, [this, i] { cards_->recall(i); });
        add_act(tune, tr("Keep on card %1").arg(i + 1), {QKeySequence("Shift+" + key)},
                [this, i] { cards_->store(i); });
    }
    add_act(tune, tr("Line over time"), {QKeySequence("Y")},
            [this] { open_line(tuning_->touched(), !line_->setting()); });
    add_act(tune, tr("Remove the line"), {QKeySequence("Shift+Y")}, [this] {
        const Setting setting = line_->setting().value_or(tuning_->touched());
        document_.edit_lines(tr("Remove the line"), {}, [&](std::vector<SettingLane>& lines) {
            std::erase_if(lines, [&](const SettingLane& l) {
                return l.stem == static_cast<std::size_t>(stem_) && l.setting == setting;
            });
        });
    });
    add_act(tune, tr("Own settings for the loop range"), {QKeySequence("Ctrl+R")},
            [this] { hold_for_loop(); });
    add_act(tune, tr("Reset this stem"), {QKeySequence("R")}, [this] {
        document_.edit_settings(tr("Reset stem"), {},
                                [this](ShapeSettings& x) { x.stems[static_cast<std::size_t>(stem_)] = {}; });
    });
    add_act(tune, tr("Reset all stems"), {QKeySequence("Shift+R")},
            [this] { document_.edit_settings(tr("Reset all stems"), {}, [](ShapeSettings& x) { x = {}; }); });
    add_act(tune, tr("Compare blind…"), {QKeySequence("B")}, [this] { compare_blind(); });

    auto* show = add_menu(tr("Show"), View::Separate);
    const auto playhead = [this] {
        return shown_source_ ? static_cast<double>(player_.position()) / shown_source_->sample_rate() : 0.0;
    };
    add_act(show, tr("Closer"), {QKeySequence("+"), QKeySequence("=")},
            [this, playhead] { view_.zoom(0.5, playhead()); });
    add_act(show, tr("Wider"), {QKeySequence("-")}, [this, playhead] { view_.zoom(2.0, playhead()); });
    add_act(show, tr("Whole recording"), {QKeySequence("W")}, [this] { view_.show(0, view_.total()); });
    add_act(show, tr("Loop range"), {QKeySequence("Z")}, [this] {
        const auto* item = document_.current_item();
        if (item == nullptr || !item->loop || !shown_source_) return;
        const double rate = shown_source_->sample_rate();
        const double span = static_cast<double>(item->loop->last - item->loop->first) / rate;
        view_.show(static_cast<double>(item->loop->first) / rate - span * 0.1, span * 1.2);
    });

    build_rebuild_menus();
    build_handover_menus();
    build_view_menus();
    auto* help = menuBar()->addMenu(tr("Help"));
    add_act(help, tr("Keys"), {QKeySequence("F1")}, [this] { show_keys(); });
    add_act(help, tr("About Rivlen"), {}, [this] {
        auto* box = new QMessageBox(QMessageBox::NoIcon, tr("About Rivlen"),
                                    tr("Rivlen %1\n\nParts mixed recordings into dialogue, reverb, music and "
                                       "ambience with models of its own.\n\nGPL-3.0-or-later. "
                                       "Type: B612 (SIL Open Font License).")
                                        .arg(QApplication::applicationVersion()),
                                    QMessageBox::Ok, this);
        box->setAttribute(Qt::WA_DeleteOnClose);
        box->setModal(false);
        box->show();
    });
}

QMenu* MainWindow::add_menu(const QString& title, std::optional<View> view) {
    auto* menu = menuBar()->addMenu(title);
    if (view) view_menus_.push_back({menu, *view});
    return menu;
}

void MainWindow::build_view_menus() {
    auto* views = menuBar()->addMenu(tr("View"));
    add_act(views, tr("Separate"), {QKeySequence("1")}, [this] { show_view(View::Separate); });
    add_act(views, tr("Rebuild"), {QKeySequence("2")}, [this] { show_view(View::Rebuild); });
    add_act(views, tr("Hand over"), {QKeySequence("3")}, [this] { show_view(View::Handover); });
}

// The acts of a view that is not shown have no keys.
void MainWindow::show_view(View view) {
    if (view != shown_view_) {
        player_.stop();
        mix_player_.stop();
    }
    shown_view_ = view;
    stack_->setCurrentIndex(static_cast<int>(view));
    view_buttons_[static_cast<std::size_t>(view)]->setChecked(true);
    for (const auto& entry : view_menus_) {
        entry.menu->menuAction()->setVisible(entry.view == view);
        for (auto* action : entry.menu->actions()) action->setEnabled(entry.view == view);
    }
    if (view == View::Rebuild) {
        output_.use(mix_player_);
        output_.follow_rate();
    } else {
        output_.use(player_);
        output_.follow_rate();
    }
    rebuild_->set_output_latency(output_.latency_seconds());
}

void MainWindow::show_keys() {
    auto* dialog = new QDialog(this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->setWindowTitle(tr("Keys"));
    dialog->setObjectName("keys");
    auto* grid = new QGridLayout(dialog);
    grid->setHorizontalSpacing(24);
    std::vector<Key> shown;  // those that act in this view
    for (const auto& key : keys_) {
        if (!key.view || *key.view == shown_view_) shown.push_back(key);
    }
    const int rows = (static_cast<int>(shown.size()) + 1) / 2;
    for (int i = 0; i < static_cast<int>(shown.size()); ++i) {
        const auto& key = shown[static_cast<std::size_t>(i)];
        auto* keys = new QLabel(key.keys, dialog);
        keys->setFont(number_font());
        grid->addWidget(new QLabel(key.act, dialog), i % rows, i / rows * 2);
        grid->addWidget(keys, i % rows, i / rows * 2 + 1);
    }
    dialog->show();
}

void MainWindow::open_path(const fs::path& path) {
    if (path.extension() == kSessionExtension) {
        if (document_.open(path)) remember(path);
    } else {
        document_.bring_in(path);
    }
}

void MainWindow::save(bool ask_name) {
    fs::path path = document_.path();
    if (ask_name || path.empty()) {
        QString file =
            QFileDialog::getSaveFileName(this, tr("Save the session"), {}, tr("Rivlen sessions (*.rivlen)"));
        if (file.isEmpty()) return;
        if (!file.endsWith(kSessionExtension)) file += kSessionExtension;
        path = file.toStdString();
    }
    if (document_.save(path)) remember(path);
}

void MainWindow::write_stems_to(const fs::path& folder, bool overwrite) {
    const auto source = document_.source();
    const auto map = document_.map();
    const auto* item = document_.current_item();
    if (!source || !map || item == nullptr) return;
    ExportPlan plan;
    plan.folder = folder;
    plan.base_name = item->path.stem().string();
    plan.kept_mix = true;
    plan.overwrite = overwrite;
    auto report = std::make_shared<ExportReport>();
    jobs_.start(
        tr("Writing stems"),
        [source, map, settings = item->timed(), plan, report](const JobControl& job) -> Status {
            auto done = export_stems(*source, *map, settings, plan, job);
            if (!done) return done.error();
            *report = std::move(*done);
            return {};
        },
        [this, report, folder](const Status& status) {
            if (!status)
                return say(QString::fromStdString(status.error().message),
                           status.error().kind != ErrorKind::Cancelled);
            say(tr("%1 files written to \"%2\"; the stems add up to the source within %3 dBFS.")
                    .arg(report->files.size())
                    .arg(text(folder))
                    .arg(report->sum_dbfs, 0, 'f', 1),
                false);
        });
}

void MainWindow::lay_back_to(const fs::path& out, bool overwrite) {
    const auto source = document_.source();
    const auto map = document_.map();
    const auto* item = document_.current_item();
    if (!source || !map || item == nullptr) return;
    const KeptUnderPicture what{item->path, out, document_.work_folder(), overwrite};
    auto report = std::make_shared<LaybackReport>();
    jobs_.start(
        tr("Putting back"),
        [source, map, settings = item->timed(), what, report](const JobControl& job) -> Status {
            auto done = put_kept_back(*source, *map, settings, what, job);
            if (!done) return done.error();
            *report = *done;
            return {};
        },
        [this, report, out](const Status& status) {
            if (!status)
                return say(QString::fromStdString(status.error().message),
                           status.error().kind != ErrorKind::Cancelled);
            say(tr("\"%1\" written: picture identical, sound %2 samples off.")
                    .arg(text(out.filename()))
                    .arg(report->offset_samples),
                false);
        });
}

void MainWindow::follow_session() {
    const Session& session = document_.session();
    setWindowTitle(document_.title() + tr(" — Rivlen"));
    const QSignalBlocker quiet(recordings_);
    recordings_->clear();
    for (const auto& item : session.items) recordings_->addItem(text(item.path.filename()));
    recordings_->setCurrentIndex(session.current);
    recordings_->setEnabled(!session.items.empty());
    const auto* item = document_.current_item();
    for (std::size_t s = 0; s < kStems; ++s) {
        const StemSettings settings = item != nullptr ? item->settings.stems[s] : StemSettings{};
        solo_[s]->setChecked(settings.solo);
        mute_[s]->setChecked(settings.mute);
        solo_[s]->setEnabled(item != nullptr);
        mute_[s]->setEnabled(item != nullptr);
    }
    monitors_[static_cast<std::size_t>(session.monitor)]->setChecked(true);
    level_match_->setChecked(session.level_match);
    loop_->setChecked(item != nullptr && item->loop && item->loop_on);
    loop_->setEnabled(item != nullptr && item->loop);
    feed_player();
    match_timer_.start();
}

// While a blind comparison runs, it alone decides what is heard.
void MainWindow::feed_player() {
    const auto* item = document_.current_item();
    if (item != nullptr) player_.set_loop(item->heard_loop());
    if (blind_ != nullptr && blind_->running()) return;
    player_.set_monitor(document_.session().monitor);
    if (item != nullptr) player_.set_settings(item->timed());
}

void MainWindow::open_line(Setting setting, bool open) {
    if (!open) return line_->close_line();
    if (!shown_source_) {
        tuning_->show_line({});
        return say(tr("Bring in a recording first."), false);
    }
    line_->open(static_cast<std::size_t>(stem_), setting);
    line_->setFocus();
}

// Goes round: none, one, two, five seconds.
void MainWindow::step_pre_roll() {
    if (!shown_source_) return;
    const std::int64_t rate = shown_source_->sample_rate();
    document_.edit(tr("Pre-roll"), {}, [rate](Session& session) {
        if (session.current < 0) return;
        auto& frames = session.items[static_cast<std::size_t>(session.current)].pre_roll_frames;
        const std::int64_t now = frames / rate;
        frames = rate * (now < 1 ? 1 : now < 2 ? 2 : now < 5 ? 5 : 0);
    });
    const std::int64_t frames = document_.current_item()->pre_roll_frames;
    say(frames > 0 ? tr("The loop begins %1 s before its range each time.").arg(frames / rate)
                   : tr("The loop begins with its range."),
        false);
}

void MainWindow::hold_for_loop() {
    const auto* item = document_.current_item();
    if (item == nullptr || !item->loop || !shown_source_)
        return say(tr("Set a loop range first: drag over the lanes."), false);
    const LoopRange loop = *item->loop;
    const auto same = [loop](const SettingsRange& r) { return r.first == loop.first && r.last == loop.last; };
    const bool there = std::ranges::any_of(item->ranges, same);
    const std::int64_t fade = shown_source_->sample_rate() / 20;
    document_.edit(there ? tr("Drop the loop's own settings") : tr("Own settings for the loop range"), {},
                   [&](Session& session) {
                       auto& target = session.items[static_cast<std::size_t>(session.current)];
                       if (there) {
                           std::erase_if(target.ranges, same);
                       } else {
                           target.ranges.push_back({loop.first, loop.last, fade, target.edited()});
                           target.loop_on = true;
                       }
                   });
    say(there ? tr("The loop range follows the settings of the whole again.")
              : tr("While the loop stands on this range, the controls change its own settings. Ctrl+R drops "
                   "them."),
        false);
}

void MainWindow::compare_blind() {
    const auto* item = document_.current_item();
    if (item == nullptr || !shown_map_) return say(tr("Split the recording first."), false);
    if (blind_ == nullptr) {
        blind_ = new BlindComparison(document_, jobs_, player_, this);
        connect(blind_, &BlindComparison::ended, this, [this] {
            feed_player();
            measure_match_soon();
        });
        connect(blind_, &BlindComparison::said, this, &MainWindow::say);
    }
    blind_->show();
    blind_->raise();
}

void MainWindow::follow_material() {
    const Material* material = document_.current_material();
    const auto source = document_.source();
    const auto map = document_.map();
    const auto heard = document_.map_so_far();
    if (source != shown_source_ || heard != shown_map_) {
        if (source != shown_source_) view_.set_total(source ? source->seconds() : 1.0);
        shown_source_ = source;
        shown_map_ = heard;
        player_.set_material(source, heard);
        output_.follow_rate();
        picture_->set_picture(source && material->info.picture ? source->original() : fs::path());
        match_timer_.start();
    }
    split_->setEnabled(source && !document_.splitting());
    split_->setText(map ? tr("Split again") : tr("Split"));
    write_->setEnabled(map != nullptr);
    lay_back_->setEnabled(map && material->info.picture);
    play_->setEnabled(source != nullptr);
    for (std::size_t m = 1; m < kMonitors; ++m) monitors_[m]->setEnabled(heard != nullptr);
    if (!source) {
        sum_->setText({});
    } else if (!map) {
        sum_->setText(heard ? tr("What is split can be heard.") : tr("Not split yet."));
    } else if (material->sum_dbfs) {
        sum_->setText(tr("Sum check %1 dBFS").arg(*material->sum_dbfs, 0, 'f', 1));
    } else {
        sum_->setText(tr("Sum check…"));
    }
}

bool MainWindow::settled() const {
    return measuring_.settled() && !match_timer_.isActive() && match_job_ == 0 && rebuild_->settled();
}

void MainWindow::follow_time() {
    if (shown_view_ == View::Rebuild) return rebuild_->follow_time();
    if (!shown_source_) return;
    const double seconds = static_cast<double>(player_.position()) / shown_source_->sample_rate();
    const bool playing = player_.playing();
    if (document_.playhead() != player_.position()) {
        document_.set_playhead(player_.position());
        tuning_->follow_playhead();
        tuning_->update();
    }
    const QString shown = strip_->time_text().of(seconds);
    if (shown != time_->text() || playing) {
        time_->setText(shown);
        if (playing) view_.follow(seconds);
        picture_->show_time(seconds);
        lanes_->update();
        strip_->update();
    }
    play_->setText(playing ? tr("Stop") : tr("Play"));
    const auto peak = static_cast<double>(player_.take_peak());
    const double now = peak > 0 ? db_of_amplitude(peak) : -90.0;
    meter_db_ = std::max(now, meter_db_ - 0.4);
    meter_->setText(meter_db_ > -89 ? tr("%1 dBFS").arg(meter_db_, 0, 'f', 1) : tr("— dBFS"));
}

void MainWindow::choose_stem(int stem) {
    if (stem_ != stem && line_ != nullptr && line_->setting()) line_->close_line();
    stem_ = stem;
    tuning_->choose(static_cast<std::size_t>(stem));
    lanes_->set_chosen(stem);
    for (std::size_t s = 0; s < kStems; ++s) {
        names_[s]->setCheckable(true);
        names_[s]->setChecked(static_cast<int>(s) == stem);
    }
}

void MainWindow::set_monitor(Monitor monitor) {
    document_.edit(tr("Listen to another"), "monitor", [monitor](Session& s) { s.monitor = monitor; });
    const auto gain = gains_[static_cast<std::size_t>(monitor)];
    match_->setText(document_.session().level_match
                        ? tr("%1 dB").arg(db_of_amplitude(static_cast<double>(gain)), 0, 'f', 1)
                        : QString());
}

void MainWindow::toggle_loop() {
    document_.edit(tr("Loop"), {}, [](Session& s) {
        if (s.current >= 0) s.items[static_cast<std::size_t>(s.current)].loop_on ^= true;
    });
}

// Measured in the background over the loop (or the whole) whenever settings rest for a moment.
void MainWindow::measure_match_soon() {
    const auto* item = document_.current_item();
    if (!shown_source_ || !shown_map_ || item == nullptr) return;
    if (match_job_ != 0) jobs_.cancel(match_job_);
    const int number = ++match_count_;
    const bool wanted = document_.session().level_match;
    auto result = std::make_shared<MatchResult>();
    const auto total = static_cast<std::int64_t>(shown_source_->frames());
    const LoopRange range = item->loop && item->loop_on ? *item->loop : LoopRange{0, total};
    match_job_ = jobs_.start(
        tr("Measuring"),
        [source = shown_source_, map = shown_map_, settings = item->timed(), range,
         result](const JobControl& job) -> Status {
            auto measured = measure_match(*source, map.get(), settings, range.first, range.last, job);
            if (!measured) return measured.error();
            *result = *measured;
            return {};
        },
        [this, result, wanted, number](const Status& status) {
            if (number == match_count_) match_job_ = 0;
            if (!status) return;
            gains_ = result->gain;
            if (blind_ != nullptr && blind_->running()) return;
            std::array<float, kMonitors> flat{};
            flat.fill(1.0F);
            player_.set_match_gains(wanted ? gains_ : flat);
            const auto m = static_cast<std::size_t>(document_.session().monitor);
            match_->setText(wanted
                                ? tr("%1 dB").arg(db_of_amplitude(static_cast<double>(gains_[m])), 0, 'f', 1)
                                : QString());
        },
        true);
}

void MainWindow::say(const QString& sentence, bool trouble) {
    QPalette palette = message_->palette();
    palette.setColor(QPalette::WindowText, trouble ? colour::kWarn : colour::kDim);
    message_->setPalette(palette);
    message_->setText(sentence);
    message_timer_.start(trouble ? 30000 : 12000);
}

void MainWindow::remember(const fs::path& path) {
    QSettings settings;
    QStringList recent = settings.value("recent").toStringList();
    recent.removeAll(text(path));
    recent.prepend(text(path));
    while (recent.size() > static_cast<qsizetype>(kMostRecent)) recent.removeLast();
    settings.setValue("recent", recent);
}

void MainWindow::fill_recent() {
    recent_->clear();
    const QStringList recent = QSettings().value("recent").toStringList();
    for (const QString& path : recent) {
        recent_->addAction(path, this, [this, path] {
            if (may_discard()) open_path(path.toStdString());
        });
    }
    if (recent.isEmpty()) recent_->addAction(tr("None yet"))->setEnabled(false);
}

bool MainWindow::may_discard() {
    if (!document_.changed_since_saving() || document_.session().items.empty()) return true;
    const auto answer = QMessageBox::question(
        this, tr("Unsaved changes"), tr("The session has changed since it was saved. Save it first?"),
        QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel);
    if (answer == QMessageBox::Cancel) return false;
    if (answer == QMessageBox::Save) save(false);
    return answer == QMessageBox::Discard || !document_.changed_since_saving();
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasUrls()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
    for (const auto& url : event->mimeData()->urls()) {
        if (!url.isLocalFile()) continue;
        const fs::path file = url.toLocalFile().toStdString();
        const bool session = file.extension() == kSessionExtension;
        // On tracks a file becomes a clip; a recording that is to be split is dropped in the Separate view.
        if (shown_view_ == View::Rebuild && !session && !document_.timeline().tracks.empty()) {
            rebuild_->bring_to_track(file);
        } else {
            open_path(file);
        }
    }
    event->acceptProposedAction();
}

void MainWindow::closeEvent(QCloseEvent* event) {
    if (!may_discard()) return event->ignore();
    player_.stop();
    mix_player_.stop();
    jobs_.cancel_all();
    event->accept();
}

}  // namespace rivlen::app
