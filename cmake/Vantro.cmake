# How our targets are built: one library per folder, warnings as errors, sanitizers by preset.
find_program(VANTRO_CCACHE ccache)
if(VANTRO_CCACHE)
  # It keeps units with precompiled headers only if it is told that this is meant; and
  # other clones find what this one has compiled.
  # Never by preprocessed text (CCACHE_DEPEND): a header that differs in a comment only would
  # get the precompiled headers of before, which g++ then takes for another file.
  set(CMAKE_CXX_COMPILER_LAUNCHER "${CMAKE_COMMAND}" -E env
    "CCACHE_BASEDIR=${CMAKE_SOURCE_DIR}" CCACHE_DEPEND=1 CCACHE_SLOPPINESS=pch_defines,time_macros "${VANTRO_CCACHE}")
  if(CMAKE_CXX_COMPILER_ID STREQUAL "GNU")
    add_compile_options(-fpch-preprocess)
  endif()
endif()

add_library(vantro_flags INTERFACE)
target_compile_options(vantro_flags INTERFACE -Wall -Wextra -Wpedantic -Wshadow
  -Wnon-virtual-dtor -Woverloaded-virtual -Wswitch -Werror)
if(CMAKE_CXX_COMPILER_ID STREQUAL "Clang")
  # What base/mutex.h declares.
  target_compile_options(vantro_flags INTERFACE -Wthread-safety)
elseif(CMAKE_CXX_COMPILER_ID STREQUAL "GNU")
  # With precompiled headers g++ 12 warns so of its own std::string; ASan looks at the bounds.
  target_compile_options(vantro_flags INTERFACE -Wno-array-bounds -Wno-restrict
    -Wno-stringop-overflow -Wno-stringop-overread)
endif()
target_compile_definitions(vantro_flags INTERFACE SPDLOG_FMT_EXTERNAL)

# Hardening; tests/end_to_end/hardening_test.cc looks at the programs for it. Position
# independent for everything, as a program is only that if all of it is.
set(CMAKE_POSITION_INDEPENDENT_CODE ON)
# Memory that a fault leaves unset is zero, and not what was there before (clang 14 wants
# one flag more for it).
target_compile_options(vantro_flags INTERFACE -fstack-protector-strong)
if(CMAKE_CXX_COMPILER_ID STREQUAL "GNU")
  target_compile_options(vantro_flags INTERFACE -ftrivial-auto-var-init=zero)
endif()
# Nothing of the folder it was built in gets into a program: two builds are the same bytes.
target_compile_options(vantro_flags INTERFACE "-ffile-prefix-map=${CMAKE_SOURCE_DIR}=.")
if(CMAKE_CXX_COMPILER_ID STREQUAL "GNU" AND CMAKE_SYSTEM_PROCESSOR MATCHES "x86_64|amd64")
  target_compile_options(vantro_flags INTERFACE -fstack-clash-protection -fcf-protection)
endif()
target_link_options(vantro_flags INTERFACE -pie -Wl,-z,relro,-z,now,-z,noexecstack,-z,separate-code)
if(CMAKE_BUILD_TYPE STREQUAL "Release")
  # With optimisation only; sanitizers look at the same, and more.
  target_compile_definitions(vantro_flags INTERFACE _FORTIFY_SOURCE=2 _GLIBCXX_ASSERTIONS)
endif()
target_include_directories(vantro_flags INTERFACE "${CMAKE_SOURCE_DIR}/src")
if(VANTRO_SANITIZE STREQUAL "asan")
  # The left-out checks double the build time and have found nothing that ASan does not find.
  set(flags -fsanitize=address,undefined -fno-sanitize=vptr,null,alignment,object-size
    -fno-sanitize-recover=all -fno-omit-frame-pointer)
elseif(VANTRO_SANITIZE STREQUAL "tsan")
  # Asio has fences of its own that TSan does not see; they are what the warning is about.
  set(flags -fsanitize=thread -Wno-tsan)
elseif(VANTRO_SANITIZE)
  message(FATAL_ERROR "VANTRO_SANITIZE: '${VANTRO_SANITIZE}' is neither asan nor tsan")
endif()
if(VANTRO_FUZZ)
  # The rooms tell the engine where they have been; its main() is linked by the targets.
  list(APPEND flags -fsanitize=fuzzer-no-link -fno-sanitize=function)
endif()
target_compile_options(vantro_flags INTERFACE ${flags})
target_link_options(vantro_flags INTERFACE ${flags})

# What nearly every unit includes, read once for all rooms: a fifth of the build time. Units
# include what they use all the same; scripts/lint reads them without it.
set(VANTRO_PRECOMPILED <algorithm> <array> <atomic> <chrono> <cstdint> <fmt/format.h> <functional> <map>
  <memory> <mutex> <optional> <set> <span> <string> <string_view> <thread> <tl/expected.hpp> <utility> <variant>
  <vector>)

# vantro_room(NAME SOURCES a.cc ... USES rooms... LINKS libraries...)
# One folder of src/ as the library vantro_NAME. USES must be what LAYERS allows.
function(vantro_room name)
  cmake_parse_arguments(ROOM "" "" "SOURCES;USES;LINKS" ${ARGN})
  add_library(vantro_${name} STATIC ${ROOM_SOURCES})
  if(name STREQUAL "base")
    target_precompile_headers(vantro_base PRIVATE ${VANTRO_PRECOMPILED})
  else()
    target_precompile_headers(vantro_${name} REUSE_FROM vantro_base)
  endif()
  list(TRANSFORM ROOM_USES PREPEND vantro_)
  target_link_libraries(vantro_${name} PUBLIC vantro_flags ${ROOM_USES} ${ROOM_LINKS})
endfunction()
