// SPDX-License-Identifier: GPL-3.0-or-later
// The network as a whole: growing, memory, files (its operations: units_test.cpp).
#include <gtest/gtest.h>
#include <torch/torch.h>

#include "core/separation/bands.h"
#include "engine/golden.h"
#include "engine/mask_stream.h"
#include "engine/network.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

double largest_difference(const torch::Tensor& a, const torch::Tensor& b) {
    return (a - b).abs().max().item<double>();
}

NetworkSpec small_spec() {
    NetworkSpec spec;
    spec.width = 16;
    spec.hidden = 16;
    spec.blocks = 1;
    spec.head_hidden = 16;
    return spec;
}

// A larger network that begins with a smaller one's weights gives the smaller one's masks.
TEST(Network, GrowsWithoutChangingItsMasks) {
    torch::manual_seed(9);
    NetworkSpec small = small_spec();
    NetworkSpec large = small;
    large.feature_channels = 3;
    large.blocks = 3;
    large.head_hidden = 32;
    large.mlp_hidden = 16;
    large.head_sees_input = true;
    SeparationNetwork a(small);
    SeparationNetwork b(large);
    ASSERT_TRUE(copy_weights(a, b).ok());
    const torch::NoGradGuard no_grad;
    const auto x = torch::rand({2, 10, 3, 256});
    EXPECT_LT(largest_difference(a->forward(x), b->forward(x)), 1e-5);
    EXPECT_FALSE(copy_weights(b, a).ok());
    // Once more from one whose head sees its input already.
    small.head_sees_input = true;
    SeparationNetwork c(small);
    ASSERT_TRUE(copy_weights(c, b).ok());
    EXPECT_LT(largest_difference(c->forward(x), b->forward(x)), 1e-5);
}

// A stretch of the grid and what the network sees around it give the masks that the whole gives there, and
// less around it does not.
void looks_no_further_than_it_says(int overlap) {
    torch::manual_seed(10);
    NetworkSpec spec = small_spec();
    spec.blocks = 3;
    spec.mlp_hidden = 16;
    spec.head_sees_input = true;
    spec.memory_steps = 4;
    spec.memory_overlap = overlap;
    SeparationNetwork network(spec);
    ASSERT_EQ(network->stride_frames(), 16);
    ASSERT_EQ(network->context_frames(), 48);
    const torch::NoGradGuard no_grad;
    constexpr std::int64_t kFrames = 250;
    const auto x = torch::rand({1, kFrames, kFeatureChannels, 256});
    const auto whole = network->forward(x);
    // Frames from `from` on, in pieces of so many frames; what comes out, and where it begins.
    const auto streamed = [&](std::int64_t from, std::int64_t to, std::int64_t piece) {
        MaskStream stream(network);
        stream.begin(from == 0);
        std::vector<float> out;
        for (std::int64_t at = from; at < to; at += piece) {
            const auto part = x.narrow(1, at, std::min(piece, to - at)).contiguous();
            stream.push({part.data_ptr<float>(), static_cast<std::size_t>(part.numel())},
                        std::min(at + piece, to) == kFrames,
                        [&](auto masks) { out.insert(out.end(), masks.begin(), masks.end()); });
        }
        return torch::tensor(out).view({1, -1, kStems, kBands});
    };
    // The whole, in any pieces: the same to the bit.
    for (const std::int64_t piece : {16, 32, 48, 112, 256})
        EXPECT_TRUE(torch::equal(streamed(0, kFrames, piece), whole)) << piece;
    // From and to the middle: all but what looks beyond, and the same to the bit, too.
    for (const std::int64_t piece : {16, 64}) {
        const auto middle = streamed(64, 192, piece);
        ASSERT_EQ(middle.size(1), 192 - 64 - 2 * 48);
        EXPECT_TRUE(torch::equal(middle, whole.narrow(1, 64 + 48, middle.size(1))));
        const auto end = streamed(96, kFrames, piece);
        ASSERT_EQ(end.size(1), kFrames - 96 - 48);
        EXPECT_TRUE(torch::equal(end, whole.narrow(1, 96 + 48, end.size(1))));
    }
    // A stream that begins anew forgets what it saw; the halo is not larger than it has to be.
    auto other = x.clone();
    other.narrow(1, 0, 64 + 16) += 1.0F;
    const auto changed = network->forward(other);
    EXPECT_TRUE(torch::equal(changed.narrow(1, 128, kFrames - 128), whole.narrow(1, 128, kFrames - 128)));
    EXPECT_FALSE(torch::equal(changed.narrow(1, 112, 16), whole.narrow(1, 112, 16)));
}

TEST(Network, LooksNoFurtherThanItSays) {
    for (const int overlap : {0, 1, 3, 4}) {
        SCOPED_TRACE(overlap);
        looks_no_further_than_it_says(overlap);
    }
}

// The mean of a network with itself, grown or not, gives its masks; of two, weights half way between.
TEST(Network, MeansOfWeights) {
    torch::manual_seed(12);
    const NetworkSpec small = small_spec();
    NetworkSpec large = small;
    large.blocks = 2;
    large.feature_channels = 3;
    const SeparationNetwork a(small);
    SeparationNetwork b(large);
    ASSERT_TRUE(copy_weights(a, b).ok());
    const torch::NoGradGuard no_grad;
    const auto x = torch::rand({1, 10, 3, 256});
    auto same = mean_of_weights(std::vector{a, b});
    ASSERT_TRUE(same.ok());
    EXPECT_LT(largest_difference((*same)->forward(x), SeparationNetwork(a)->forward(x)), 1e-5);
    const SeparationNetwork c(small);
    const auto between = mean_of_weights(std::vector{a, c});
    ASSERT_TRUE(between.ok());
    const auto name = std::string("head2_weight");
    const auto half = 0.5 * (a->named_parameters()[name] + c->named_parameters()[name]);
    EXPECT_LT(largest_difference((*between)->named_parameters()[name], half), 1e-6);
    EXPECT_FALSE(mean_of_weights(std::vector{b, a}).ok());  // does not grow smaller
}

SeparationNetwork small_network() {
    torch::manual_seed(2);
    return SeparationNetwork(small_spec());
}

// What is stored beside the weights tells a machine that computes right from one that does not.
TEST(Golden, ASmallFaultInTheArithmeticIsNoticed) {
    const test::Scratch scratch;
    auto network = small_network();
    ASSERT_TRUE(save_network(network, scratch / "m.safetensors", {}).ok());
    auto loaded = load_network(scratch / "m.safetensors");
    ASSERT_TRUE(loaded.ok());
    EXPECT_LE(golden_difference(loaded->network, loaded->golden), 1.0 / 255.0);
    {
        const torch::NoGradGuard no_grad;  // one product gone wrong
        loaded->network->named_parameters()["head2_weight"][3].mul_(0.5);
    }
    EXPECT_GT(golden_difference(loaded->network, loaded->golden), kGoldenTolerance);
    EXPECT_EQ(golden_difference(loaded->network, {1, 2, 3}), 1.0);
}

TEST(Network, WeightsOfAnotherShapeAreRefused) {
    const test::Scratch scratch;
    auto network = small_network();
    ASSERT_TRUE(save_network(network, scratch / "m.safetensors", {{"training", "{}"}}).ok());
    EXPECT_EQ(load_network(scratch / "m.safetensors")->metadata.at("training"), "{}");
    EXPECT_EQ(load_network(scratch / "none").error().kind, ErrorKind::NotFound);
    test::write_wav(scratch / "x.wav", {{0.0F}}, 48000);
    EXPECT_EQ(load_network(scratch / "x.wav").error().kind, ErrorKind::BadInput);
    EXPECT_FALSE(NetworkSpec::from_json(R"({"time_unit":"magic"})").ok());
    EXPECT_FALSE(NetworkSpec::from_json(R"({"width":-4})").ok());
    EXPECT_FALSE(NetworkSpec::from_json(R"({"width":40})").ok());
}

}  // namespace
}  // namespace rivlen
