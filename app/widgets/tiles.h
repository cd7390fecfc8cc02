// SPDX-License-Identifier: GPL-3.0-or-later
// Coloured spectrogram tiles and outlines, made in the background and kept.
#pragma once

#include <QCache>
#include <QImage>
#include <QObject>
#include <QSet>
#include <QThreadPool>
#include <array>
#include <memory>

#include "core/assessment/overview.h"

namespace rivlen::app {

inline constexpr std::size_t kTileColumns = 256;

struct Tile {
    // Source, then stems and, where the music is opened, its parts; kTileColumns x rows.
    std::array<QImage, 1 + kSounds> images;
    Overview overview;
};

struct TileKey {
    int level = 0;  // columns of 2^level frames
    std::int64_t index = 0;
    bool operator==(const TileKey&) const = default;
};
inline std::size_t qHash(const TileKey& key, std::size_t seed = 0) {
    return qHashMulti(seed, key.level, key.index);
}

class TileStore : public QObject {
    Q_OBJECT
  public:
    explicit TileStore(QObject* parent = nullptr);
    ~TileStore() override;

    void set_material(std::shared_ptr<const Source> source, std::shared_ptr<const MaskMap> map);
    // Frequencies of the pictures from now on.
    void set_rows(const OverviewRows& rows);
    // The tile, or null when it is still being made (ready() follows).
    [[nodiscard]] const Tile* tile(const TileKey& key);
    [[nodiscard]] bool idle() const { return pending_.isEmpty(); }

  signals:
    void ready();

  private:
    std::shared_ptr<const Source> source_;
    std::shared_ptr<const MaskMap> map_;
    void forget_all();
    [[nodiscard]] int cost() const;
    OverviewRows rows_;
    int generation_ = 0;
    QCache<TileKey, Tile> tiles_;
    QCache<TileKey, Tile> stale_;  // of the same sound with other masks: shown until the new ones are there
    QSet<TileKey> pending_;
    QThreadPool pool_;
};

}  // namespace rivlen::app
