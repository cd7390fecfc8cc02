# A module is a folder, and sees the headers of those modules that it links, and of no others: every module's headers are
# reached through a folder of its own in the build tree, build/.../modules/NAME, that holds nothing but a link to it.

# rivlen_headers(TARGET FOLDER): whoever links TARGET may include FOLDER/....h, FOLDER as from the root of the sources.
function(rivlen_headers target folder)
  set(view ${PROJECT_BINARY_DIR}/modules/${folder})
  get_filename_component(parent ${folder} DIRECTORY)
  file(MAKE_DIRECTORY ${view}/${parent})
  file(CREATE_LINK ${PROJECT_SOURCE_DIR}/${folder} ${view}/${folder} SYMBOLIC)
  get_target_property(type ${target} TYPE)
  if(type STREQUAL INTERFACE_LIBRARY)
    target_include_directories(${target} INTERFACE ${view})
  else()
    target_include_directories(${target} PUBLIC ${view})
  endif()
endfunction()

# Precompiled headers, of a target's own or shared with another one. Not under sanitizers, where targets are not all optimised
# alike, which shared headers must be.
function(rivlen_precompile target)
  if(NOT RIVLEN_SANITIZE)
    target_precompile_headers(${target} PRIVATE ${ARGN})
  endif()
endfunction()
function(rivlen_precompile_as target other)
  if(NOT RIVLEN_SANITIZE)
    target_precompile_headers(${target} REUSE_FROM ${other})
  endif()
endfunction()

# rivlen_core_module(NAME USES modules... LIBRARIES targets...): all of core/NAME as the target rivlen-NAME.
function(rivlen_core_module name)
  cmake_parse_arguments(PARSE_ARGV 1 module "" "" "USES;LIBRARIES")
  file(GLOB sources CONFIGURE_DEPENDS ${PROJECT_SOURCE_DIR}/core/${name}/*.cpp)
  add_library(rivlen-${name} STATIC ${sources})
  rivlen_headers(rivlen-${name} core/${name})
  list(TRANSFORM module_USES PREPEND rivlen-)
  target_link_libraries(rivlen-${name} PUBLIC ${module_USES} PRIVATE ${module_LIBRARIES} rivlen-warnings)
  if(name STREQUAL base)
    target_link_libraries(rivlen-base PUBLIC fmt::fmt nlohmann_json::nlohmann_json Threads::Threads)
    rivlen_precompile(rivlen-base ${RIVLEN_COMMON_HEADERS})
  else()
    rivlen_precompile_as(rivlen-${name} rivlen-base)
  endif()
endfunction()

# What nearly every file includes, read once.
set(RIVLEN_COMMON_HEADERS <algorithm> <array> <cmath> <cstdint> <filesystem> <functional> <map> <memory> <optional> <span>
                          <string> <vector> <fmt/format.h> <nlohmann/json.hpp>)

# Code that computes nothing by the sample: built for size of build time, not for speed.
function(rivlen_light_code target)
  target_compile_options(${target} PRIVATE $<$<CONFIG:Release>:-O1>)
endfunction()
# Tests and the command line: under sanitizers not optimised at all, as the compiler works several times as long otherwise.
function(rivlen_lightest_code target)
  rivlen_light_code(${target})
  if(RIVLEN_SANITIZE)
    target_compile_options(${target} PRIVATE -O0)
  endif()
endfunction()
