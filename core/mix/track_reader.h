// The clips of one track as one stereo stream, before chain, gain and pan.
#pragma once

#include <array>
#include <cstdint>
#include <memory>
#include <span>
#include <vector>

#include "core/chain/processor.h"
#include "core/mix/plan.h"

namespace rivlen {

// One feed of one recording, anywhere in it; reading on from where it was is cheap. What is read does not
// depend on what was read before.
class FeedReader {
  public:
    FeedReader(MixMedia media, Feed feed);
    ~FeedReader();
    FeedReader(const FeedReader&) = delete;
    FeedReader& operator=(const FeedReader&) = delete;
    [[nodiscard]] bool fits(const MixMedia& media, Feed feed) const {
        return media.source == media_.source && media.map == media_.map && feed == feed_;
    }
    // recipes may be null for Feed::Whole.
    void read(const TimedRecipes* recipes, std::int64_t frame, StereoBlock out);

  private:
    void render_block(const TimedRecipes& recipes);
    MixMedia media_;
    Feed feed_;
    struct Shaping;  // made when it is first needed
    std::unique_ptr<Shaping> shaping_;
};

class TrackReader {
  public:
    // Frames from `frame` on, of the track at this place in the plan.
    void read(const MixPlan& plan, std::size_t track, std::int64_t frame, StereoBlock out);

  private:
    struct Entry {
        int clip = 0;
        std::uint64_t used = 0;
        std::unique_ptr<FeedReader> reader;
    };
    FeedReader& reader_for(const Clip& clip, const MixMedia& media);
    static constexpr std::size_t kMostReaders = 4;
    std::vector<Entry> readers_;
    std::uint64_t clock_ = 0;
    std::array<std::vector<float>, kMixChannels> piece_;
};

}  // namespace rivlen
