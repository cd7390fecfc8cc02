// SPDX-License-Identifier: GPL-3.0-or-later
// rivlen-learn: builds the corpus, trains and evaluates the separation models.
#include <fmt/format.h>
#include <malloc.h>
#include <unistd.h>

#include <CLI/CLI.hpp>
#include <cstdlib>

#include "learn/commands.h"

namespace {

// One thread a worker: OpenBLAS and OpenMP read their thread counts when they are loaded, so the variables
// must be set before the program starts.
void restart_single_threaded(char** argv) {
    if (std::getenv("RIVLEN_LEARN_THREADS_SET") != nullptr) return;  // NOLINT(concurrency-mt-unsafe)
    for (const char* name : {"OPENBLAS_NUM_THREADS", "OMP_NUM_THREADS", "RIVLEN_LEARN_THREADS_SET"}) {
        setenv(name, "1", 1);  // NOLINT(concurrency-mt-unsafe)
    }
    execv("/proc/self/exe", argv);
}

}  // namespace

int main(int argc, char** argv) {
    restart_single_threaded(argv);
    // Tensors and mixes are made and dropped all the time; handing their pages back to the system and getting
    // them again, zeroed, took a tenth of the time.
    mallopt(M_MMAP_THRESHOLD, 1 << 30);
    mallopt(M_TRIM_THRESHOLD, 1 << 30);
    CLI::App app{"Builds the corpus, trains and evaluates Rivlen's separation models."};
    app.require_subcommand(1);
    rivlen::Status status;
    rivlen::learn::add_commands(app, status);
    CLI11_PARSE(app, argc, argv);
    if (!status) {
        fmt::print(stderr, "{}\n", status.error().message);
        return 1;
    }
    return 0;
}
