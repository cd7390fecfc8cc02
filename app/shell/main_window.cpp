// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/main_window.h"

#include <QApplication>
#include <QButtonGroup>
#include <QCloseEvent>
#include <QDialog>
#include <QDragEnterEvent>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QMenuBar>
#include <QMessageBox>
#include <QMimeData>
#include <QScreen>
#include <QSettings>
#include <QVBoxLayout>

#include "app/shell/guide_dialog.h"
#include "app/shell/space_dialog.h"
#include "app/widgets/controls.h"
#include "app/widgets/file_dialogs.h"
#include "app/widgets/text.h"
#include "app/widgets/theme.h"

namespace rivlen::app {

namespace fs = std::filesystem;

namespace {

constexpr qsizetype kMostRecent = 8;
constexpr int kFollowMs = 16;
constexpr int kTroubleMs = 30000, kMessageMs = 12000;  // how long a sentence stands

}  // namespace

MainWindow::MainWindow(const fs::path& work_folder, QWidget* parent)
    : QMainWindow(parent), document_(jobs_, work_folder), output_(player_), menus_(*menuBar()) {
    setAcceptDrops(true);
    setWindowIcon(QIcon(":/icons/rivlen.svg"));
    // As large as it is meant to be, or as the screen lets it, its frame counted.
    constexpr QSize kWanted(1280, 800), kFrame(8, 40);
    resize(kWanted.boundedTo(screen()->availableSize() - kFrame));
    auto* centre = new QWidget(this);
    auto* column = new QVBoxLayout(centre);
    column->setContentsMargins(6, 4, 6, 4);
    column->setSpacing(4);
    column->addWidget(build_top());
    stack_ = new QStackedWidget(centre);
    separate_ = new SeparateView(document_, jobs_, player_, output_.name(), stack_);
    rebuild_ = new RebuildView(document_, jobs_, mix_player_, stack_);
    handover_ = new HandoverView(document_, jobs_, stack_);
    start_ = new StartPage(stack_);
    for (QWidget* view : {static_cast<QWidget*>(separate_), static_cast<QWidget*>(rebuild_),
                          static_cast<QWidget*>(handover_), static_cast<QWidget*>(start_)})
        stack_->addWidget(view);
    connect(start_, &StartPage::bring_in_wanted, this, [this] { recording_->ask_recording(); });
    connect(start_, &StartPage::session_wanted, this, &MainWindow::ask_session);
    connect(start_, &StartPage::open_wanted, this, &MainWindow::open_path);
    connect(start_, &StartPage::guide_wanted, this, &MainWindow::show_guide);
    column->addWidget(stack_, 1);
    setCentralWidget(centre);
    build_menus();

    connect(separate_, &SeparateView::said, this, &MainWindow::say);
    connect(rebuild_, &RebuildView::said, this, &MainWindow::say);
    connect(handover_, &HandoverView::said, this, &MainWindow::say);
    connect(recording_, &RecordingBar::said, this, &MainWindow::say);
    connect(&document_, &Document::said, this, &MainWindow::say);
    connect(separate_, &SeparateView::recording_changed, &output_, &AudioOutput::follow_rate);
    connect(recording_, &RecordingBar::excerpt_wanted, this, &MainWindow::hear_excerpt);
    connect(recording_, &RecordingBar::bring_in_wanted, this, &MainWindow::open_path);
    connect(recording_, &RecordingBar::placed, this, [this] { show_view(View::Rebuild); });
    connect(&document_, &Document::session_changed, this, [this] {
        setWindowTitle(document_.title() + tr(" — Rivlen"));
        menus_.refresh();
        show_page();
    });
    connect(&document_, &Document::material_changed, this, [this] { menus_.refresh(); });
    connect(&document_, &Document::media_missing, this, [this](const QString& path) {
        say(tr("\"%1\" is not there any more. Use Recording, Find missing… to show where it is.").arg(path),
            true);
    });
    clock_.setInterval(kFollowMs);
    connect(&clock_, &QTimer::timeout, this, &MainWindow::follow_time);
    clock_.start();
    message_timer_.setSingleShot(true);
    connect(&message_timer_, &QTimer::timeout, this, [this] { message_->clear(); });
    setWindowTitle(document_.title() + tr(" — Rivlen"));
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
    const std::array<QString, kViews> views = {tr("Separate"), tr("Rebuild"), tr("Hand over")};
    auto* group = new QButtonGroup(this);
    for (std::size_t v = 0; v < kViews; ++v) {
        view_buttons_[v] = make_button(views[v], QString("view_%1").arg(v + 1), tr("Show this view."), bar);
        view_buttons_[v]->setCheckable(true);
        group->addButton(view_buttons_[v]);
        line->addWidget(view_buttons_[v]);
        connect(view_buttons_[v], &QToolButton::clicked, this,
                [this, v] { show_view(static_cast<View>(v)); });
    }
    line->addSpacing(6);
    recording_ = new RecordingBar(document_, jobs_, bar);
    line->addWidget(recording_);
    message_ = new QLabel(bar);
    message_->setObjectName("message");
    message_->setWordWrap(true);
    message_->setAccessibleName(tr("Messages"));
    // However long a message is, what lies below stays where it is.
    message_->setFixedHeight(view_buttons_[0]->sizeHint().height());
    message_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    line->addWidget(message_, 1);
    auto* list = new JobListView(jobs_, bar);
    list->setFixedWidth(300);
    line->addWidget(list);
    return bar;
}

void MainWindow::build_menus() {
    menus_.add(session_menu());
    menus_.add(edit_menu());
    menus_.add(recording_->menu());
    for (const auto& menu : separate_->menus()) menus_.add(menu, View::Separate);
    for (const auto& menu : rebuild_->menus()) menus_.add(menu, View::Rebuild);
    for (const auto& menu : handover_->menus()) menus_.add(menu, View::Handover);
    menus_.add(view_menu());
    menus_.add(help_menu());
    menus_.name_keys(*this);
}

ActionMenu MainWindow::session_menu() {
    return {tr("Session"),
            {{
                 {"new", tr("New"), {QKeySequence::New}, [this] { new_session(); }},
                 {"open", tr("Open…"), {QKeySequence::Open}, [this] { ask_session(); }},
                 {"recent", tr("Recent"), {}, {}, {}, [this](QMenu& menu) { fill_recent(menu); }},
                 {"save", tr("Save"), {QKeySequence::Save}, [this] { save(false); }},
                 {"save_as", tr("Save as…"), {QKeySequence("Ctrl+Shift+S")}, [this] { save(true); }},
                 {"show_space",
                  tr("Space…"),
                  {},
                  [this] {
                      if (!bring_to_front(*this, "space")) (new SpaceDialog(document_, this))->show();
                  }},
             },
             {{"quit", tr("Quit"), {QKeySequence::Quit}, [this] { close(); }}}}};
}

ActionMenu MainWindow::edit_menu() {
    const History& history = document_.history();
    return {tr("Edit"),
            {{{"undo",
               tr("Undo"),
               {QKeySequence::Undo},
               [this] { document_.undo(); },
               [&history] { return history.can_undo(); },
               {},
               [&history] { return tr("Undo") + ' ' + text(history.undo_label()); }},
              {"redo",
               tr("Redo"),
               {QKeySequence::Redo},
               [this] { document_.redo(); },
               [&history] { return history.can_redo(); },
               {},
               [&history] { return tr("Redo") + ' ' + text(history.redo_label()); }}}}};
}

ActionMenu MainWindow::view_menu() {
    const auto show = [this](View view) { return [this, view] { show_view(view); }; };
    return {tr("View"),
            {{{"view_1", tr("Separate"), {QKeySequence("1")}, show(View::Separate)},
              {"view_2", tr("Rebuild"), {QKeySequence("2")}, show(View::Rebuild)},
              {"view_3", tr("Hand over"), {QKeySequence("3")}, show(View::Handover)}}}};
}

ActionMenu MainWindow::help_menu() {
    return {tr("Help"),
            {{{"show_guide", tr("Guide"), {QKeySequence("F1")}, [this] { show_guide(); }},
              {"show_keys", tr("Keys"), {QKeySequence("Shift+F1")}, [this] { show_keys(); }},
              {"about", tr("About Rivlen"), {}, [this] { show_about(); }}}}};
}

void MainWindow::show_view(View view) {
    if (view != shown_view_) {
        player_.stop();
        mix_player_.stop();
    }
    shown_view_ = view;
    show_page();
    view_buttons_[static_cast<std::size_t>(view)]->setChecked(true);
    menus_.show_view(view);
    if (view == View::Rebuild) {
        output_.use(mix_player_);
    } else {
        output_.use(player_);
    }
    output_.follow_rate();
    rebuild_->set_output_latency(output_.latency_seconds());
    rebuild_->set_output_name(output_.name());
    rebuild_->set_output_layout(output_.layout());
}

// In place of what the view plays; null: no longer.
void MainWindow::hear_excerpt(const std::shared_ptr<const AudioBlock>& sound) {
    if (!sound) {
        excerpt_player_.stop();
        return show_view(shown_view_);
    }
    player_.stop();
    mix_player_.stop();
    output_.use(excerpt_player_);
    excerpt_player_.hear(sound);
    output_.follow_rate();
}

// The view, or in its place what can be done first: nothing can be separated yet.
void MainWindow::show_page() {
    const bool empty = document_.session().items.empty() && document_.timeline().empty();
    if (empty && shown_view_ == View::Separate) {
        if (stack_->currentWidget() == start_) return;
        start_->show_recent(QSettings().value("recent").toStringList());
        return stack_->setCurrentWidget(start_);
    }
    stack_->setCurrentIndex(static_cast<int>(shown_view_));
}

void MainWindow::show_keys() {
    // What stands in one that is open is of another view, perhaps.
    if (auto* open = findChild<QDialog*>("keys")) open->close();
    auto* dialog = new QDialog(this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->setWindowTitle(tr("Keys"));
    dialog->setObjectName("keys");
    auto* grid = new QGridLayout(dialog);
    grid->setHorizontalSpacing(24);
    const auto shown = menus_.keys_in(shown_view_);
    const int rows = (static_cast<int>(shown.size()) + 1) / 2;
    for (int i = 0; i < static_cast<int>(shown.size()); ++i) {
        const auto& [words, keys] = shown[static_cast<std::size_t>(i)];
        auto* label = new QLabel(keys, dialog);
        label->setFont(number_font());
        grid->addWidget(new QLabel(words, dialog), i % rows, i / rows * 2);
        grid->addWidget(label, i % rows, i / rows * 2 + 1);
    }
    dialog->show();
}

void MainWindow::show_guide() {
    if (bring_to_front(*this, "guide")) return;
    auto* guide = new GuideDialog(this);
    guide->setAttribute(Qt::WA_DeleteOnClose);
    guide->show();
}

void MainWindow::show_about() {
    if (bring_to_front(*this, "about_box")) return;
    auto* box = new QMessageBox(QMessageBox::NoIcon, tr("About Rivlen"),
                                tr("Rivlen %1\n\nParts mixed recordings into dialogue, reverb, music and "
                                   "ambience with models of its own.\n\nGPL-3.0-or-later. "
                                   "Type: B612 (SIL Open Font License).")
                                    .arg(QApplication::applicationVersion()),
                                QMessageBox::Ok, this);
    box->setAttribute(Qt::WA_DeleteOnClose);
    box->setObjectName("about_box");
    box->setModal(false);
    box->show();
}

void MainWindow::new_session() {
    if (may_discard()) document_.new_session();
}

void MainWindow::ask_session() {
    if (!may_discard()) return;
    if (const auto file = ask_file(this, tr("Open a session"), FileKind::Session)) open_path(*file);
}

void MainWindow::open_path(const fs::path& path) {
    if (path.extension() == kSessionExtension) {
        if (document_.open(path)) remember(path);
    } else {
        recording_->bring_in(path);
    }
}

void MainWindow::save(bool ask_name) {
    fs::path path = document_.path();
    if (ask_name || path.empty()) {
        const auto file = ask_new_file(this, tr("Save the session"), FileKind::Session);
        if (!file) return;
        path = *file;
    }
    if (document_.save(path)) remember(path);
}

bool MainWindow::settled() const {
    return separate_->settled() && rebuild_->settled();
}

void MainWindow::follow_time() {
    shown_view_ == View::Rebuild ? rebuild_->follow_time() : separate_->follow_time();
}

void MainWindow::say(const QString& sentence, bool trouble) {
    QPalette palette = message_->palette();
    palette.setColor(QPalette::WindowText, trouble ? colour::kWarn : colour::kDim);
    message_->setPalette(palette);
    // In smaller letters where it would not fit.
    QFont letters = font();
    for (const double points : {font().pointSizeF(), 8.0, 7.0, 6.5}) {
        letters.setPointSizeF(points);
        const QRect needed = QFontMetrics(letters).boundingRect(QRect(0, 0, message_->width(), 1000),
                                                                Qt::TextWordWrap, sentence);
        if (needed.height() <= message_->height()) break;
    }
    message_->setFont(letters);
    message_->setToolTip(sentence);
    message_->setText(sentence);
    message_timer_.start(trouble ? kTroubleMs : kMessageMs);
}

void MainWindow::remember(const fs::path& path) {
    QSettings settings;
    QStringList recent = settings.value("recent").toStringList();
    recent.removeAll(text(path));
    recent.prepend(text(path));
    while (recent.size() > kMostRecent) recent.removeLast();
    settings.setValue("recent", recent);
}

void MainWindow::fill_recent(QMenu& menu) {
    const QStringList recent = QSettings().value("recent").toStringList();
    for (const QString& path : recent) {
        menu.addAction(path, this, [this, path] {
            if (may_discard()) open_path(path.toStdString());
        });
    }
    if (recent.isEmpty()) menu.addAction(tr("None yet"))->setEnabled(false);
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
