// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/tiles.h"

#include <QMetaObject>
#include <algorithm>
#include <cmath>

#include "app/widgets/theme.h"

namespace rivlen::app {

namespace {

constexpr int kTilesKept = 160;

// Brightness of a level code; the quiet half stays dark, so that speech stands out.
double brightness(double code) {
    return std::pow(std::clamp((code - 40.0) / 190.0, 0.0, 1.0), 1.25);
}

void colour_tile(Tile& tile, bool with_map) {
    const Overview& view = tile.overview;
    const auto rows = static_cast<int>(view.rows);
    std::array<std::array<double, 3>, kSounds> tints{};
    for (std::size_t s = 0; s < kSounds; ++s)
        tints[s] = {stem_colour(s).redF(), stem_colour(s).greenF(), stem_colour(s).blueF()};
    const std::size_t images = 1 + std::max<std::size_t>(kStems, view.sounds);
    for (std::size_t i = 0; i < images; ++i)
        tile.images[i] = QImage(static_cast<int>(view.columns), rows, QImage::Format_RGB32);
    const auto pixel = [](const std::array<double, 3>& tint, double light) {
        return qRgb(static_cast<int>(12 + 243 * tint[0] * light),
                    static_cast<int>(14 + 241 * tint[1] * light),
                    static_cast<int>(16 + 239 * tint[2] * light));
    };
    for (int row = 0; row < rows; ++row) {
        std::array<QRgb*, 1 + kSounds> lines{};
        for (std::size_t i = 0; i < images; ++i)
            lines[i] = reinterpret_cast<QRgb*>(tile.images[i].scanLine(rows - 1 - row));
        for (std::size_t c = 0; c < view.columns; ++c) {
            const std::size_t at = c * view.rows + static_cast<std::size_t>(row);
            const double code = view.level[at];
            std::array<double, 3> mixed = {0.78, 0.80, 0.78};
            double sum = 0;  // nothing where it is not split
            for (std::size_t s = 0; with_map && s < kStems; ++s) sum += view.share[s][at];
            if (sum > 0) {
                mixed = {0, 0, 0};
                for (std::size_t s = 0; s < view.sounds; ++s) {
                    const double share = view.share[s][at] / sum;
                    for (std::size_t k = 0; s < kStems && k < 3; ++k) mixed[k] += share * tints[s][k];
                    // A share's level: 2.55 codes a dB.
                    const double own = code + 2.55 * 20.0 * std::log10(std::max(share, 1e-4));
                    lines[1 + s][c] = pixel(tints[s], brightness(own));
                }
            } else {
                for (std::size_t i = 1; i < images; ++i) lines[i][c] = pixel(mixed, 0.0);
            }
            lines[0][c] = pixel(mixed, brightness(code));
        }
    }
}

}  // namespace

TileStore::TileStore(QObject* parent) : QObject(parent), tiles_(kTilesKept), stale_(kTilesKept) {
    pool_.setMaxThreadCount(1);
}

TileStore::~TileStore() {
    pool_.clear();
    pool_.waitForDone();
}

void TileStore::set_material(std::shared_ptr<const Source> source, std::shared_ptr<const MaskMap> map) {
    if (source == source_ && map == map_) return;
    const bool other_masks = source == source_ && map && map_;
    source_ = std::move(source);
    map_ = std::move(map);
    if (other_masks) {
        for (const TileKey& key : tiles_.keys()) stale_.insert(key, tiles_.take(key), cost());
    } else {
        stale_.clear();
    }
    forget_all();
}

// So that tall pictures take no more memory.
int TileStore::cost() const {
    return std::max(1, rows_.count / kOverviewRows);
}

void TileStore::set_rows(const OverviewRows& rows) {
    if (rows == rows_) return;
    rows_ = rows;
    stale_.clear();
    forget_all();
}

void TileStore::forget_all() {
    ++generation_;
    pool_.clear();
    tiles_.clear();
    pending_.clear();
    emit ready();
}

const Tile* TileStore::tile(const TileKey& key) {
    if (const Tile* found = tiles_.object(key)) return found;
    if (!source_ || pending_.contains(key)) return stale_.object(key);
    pending_.insert(key);
    pool_.start([this, key, source = source_, map = map_, rows = rows_, generation = generation_] {
        auto tile = std::make_shared<Tile>();
        const std::int64_t frames = std::int64_t{1} << key.level;
        tile->overview =
            make_overview(*source, map.get(), key.index * frames * static_cast<std::int64_t>(kTileColumns),
                          frames, kTileColumns, rows);
        colour_tile(*tile, map != nullptr);
        QMetaObject::invokeMethod(
            this,
            [this, key, tile, generation] {
                if (generation != generation_) return;
                pending_.remove(key);
                stale_.remove(key);
                tiles_.insert(key, new Tile(*tile), cost());  // QCache takes ownership
                emit ready();
            },
            Qt::QueuedConnection);
    });
    return stale_.object(key);
}

}  // namespace rivlen::app
