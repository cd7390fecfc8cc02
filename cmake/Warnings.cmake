# Every target of ours links this; torch and Qt headers come in as system headers, so it does not reach them.
add_library(rivlen-warnings INTERFACE)
target_compile_options(rivlen-warnings INTERFACE -Wall -Wextra -Wpedantic -Wconversion -Werror)
# Under Clang -Wconversion takes changes of sign along, which C++ code that counts with std::size_t is full of; and the plug-ins hand
# over C++ types by functions whose names are C's.
target_compile_options(rivlen-warnings INTERFACE
                       $<$<CXX_COMPILER_ID:Clang>:-Wno-sign-conversion> $<$<CXX_COMPILER_ID:Clang>:-Wno-return-type-c-linkage>)
if(CMAKE_UNITY_BUILD)
  # Files compiled as one: GCC takes each of them for a header.
  add_compile_options($<$<CXX_COMPILER_ID:GNU>:-Wno-subobject-linkage>)
endif()
if(RIVLEN_SANITIZE)
  # GCC warns of its own library here (GCC bug 105562).
  add_compile_options($<$<CXX_COMPILER_ID:GNU>:-Wno-maybe-uninitialized>)
  add_compile_options(-fsanitize=${RIVLEN_SANITIZE} -fno-omit-frame-pointer)
  # With their checks even operator[] is over Clang's size for code that is put in place, and is called for every sample.
  add_compile_options("$<$<CXX_COMPILER_ID:Clang>:SHELL:-mllvm -inline-threshold=1000>")
  add_link_options(-fsanitize=${RIVLEN_SANITIZE})
endif()
# The inner loops are plain loops over spans; let the compiler vectorise them. No -ffast-math: sums must hold.
add_compile_options($<$<CONFIG:Release>:-O3>)
