// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/separator.h"

#include <dlfcn.h>

#include <array>
#include <cstdlib>

#include "core/base/folders.h"
#include "core/base/hash.h"
#include "core/base/mapped_file.h"
#include "core/separation/engine_library.h"

namespace rivlen {

namespace fs = std::filesystem;

Result<ModelFacts> model_identity(const fs::path& model) {
    if (model.empty())
        return make_error(ErrorKind::NotFound,
                          "There is no separation model. Install Rivlen's models again.");
    auto bytes = MappedFile::open(model);
    if (!bytes) return bytes.error();
    ModelFacts facts;
    facts.name = model.stem().string();
    facts.hash = hash_hex(bytes->bytes());
    return facts;
}

fs::path find_engine() {
    const fs::path here = program_folder();
    const std::array<fs::path, 3> places = {here / "../" RIVLEN_LIBDIR "/rivlen/librivlen-engine.so",
                                            here / "../engine/librivlen-engine.so",
                                            here / "../../engine/librivlen-engine.so"};
    return first_existing("RIVLEN_ENGINE", places);
}

fs::path find_with_models(const fs::path& file, const char* variable) {
    const fs::path here = program_folder();
    const std::array<fs::path, 3> places = {here / "../share/rivlen/models" / file,
                                            here / "../../../models" / file,
                                            here / "../../../../models" / file};
    return first_existing(variable, places);
}

fs::path find_model(const std::string& name) {
    const std::string file = name + ".safetensors";
    if (name == kPartsModel) return find_with_models(file, "RIVLEN_PARTS_MODEL");
    const fs::path found = find_with_models(file, "RIVLEN_MODEL");
    return name == kQuickModel || found.filename() == file ? found : fs::path();
}

fs::path model_file(const fs::path& model) {
    if (model.empty()) return find_model();
    const bool is_name = !model.has_parent_path() && !model.has_extension();
    return is_name ? find_model(model.string()) : model;
}

Result<void*> engine_entry(const fs::path& engine, const char* name) {
    const fs::path library = engine.empty() ? find_engine() : engine;
    if (library.empty()) {
        return make_error(ErrorKind::NotFound, "The separation engine is missing. Install Rivlen again.");
    }
    // One thread a worker: OpenBLAS reads this once, when it is loaded together with the engine.
    setenv("OPENBLAS_NUM_THREADS", "1", 0);  // NOLINT(concurrency-mt-unsafe)
    // Never closed: libtorch does not survive being unloaded.
    void* handle = ::dlopen(library.c_str(), RTLD_NOW | RTLD_LOCAL);
    if (handle == nullptr) {
        return make_error(ErrorKind::NotFound,
                          "The separation engine cannot be opened ({}). Install Rivlen again.", ::dlerror());
    }
    void* entry = ::dlsym(handle, name);
    if (entry == nullptr) {
        return make_error(ErrorKind::Mismatch,
                          "\"{}\" is not the separation engine of this Rivlen. Install Rivlen again.",
                          library.string());
    }
    return entry;
}

Result<std::shared_ptr<const Separator>> load_separator(const fs::path& engine, const fs::path& model) {
    const fs::path weights = model_file(model);
    const auto entry = engine_entry(engine, kEngineEntry);
    if (!entry) return entry.error();
    if (weights.empty()) {
        return make_error(ErrorKind::NotFound,
                          "There is no separation model. Install Rivlen's models again.");
    }
    return reinterpret_cast<EngineEntry>(*entry)(kEngineVersion, weights);
}

}  // namespace rivlen
