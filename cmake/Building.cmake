# How everything here is compiled.

find_program(CCACHE ccache)
if(CCACHE AND NOT CMAKE_CXX_COMPILER_LAUNCHER)
  set(CMAKE_CXX_COMPILER_LAUNCHER env CCACHE_BASEDIR=${PROJECT_SOURCE_DIR} ${CCACHE})  # one build has what another beside it compiled
endif()

add_library(tidewater_build INTERFACE)
target_compile_options(tidewater_build INTERFACE
  -Wall -Wextra -Wpedantic -Wshadow -Wconversion $<$<BOOL:${TIDEWATER_WARNINGS_ARE_ERRORS}>:-Werror>
  # Contracted sums would differ between compilers and machines: same input, same sound.
  -ffp-contract=off)
# gcc 12 warns of its own standard library under sanitizers and -O3 (bug 105562 and kin).
target_compile_options(tidewater_build INTERFACE
  $<$<CXX_COMPILER_ID:GNU>:-Wdouble-promotion;-Wno-maybe-uninitialized;-Wno-restrict;-Wno-stringop-overflow;-Wno-array-bounds>)
if(CMAKE_CXX_COMPILER_ID STREQUAL GNU)
  # Nobody puts functions of their own in place of ours: what is short is seen through, as clang does without being told.
  target_compile_options(tidewater_build INTERFACE -fno-semantic-interposition)
endif()
if(CMAKE_CXX_COMPILER_ID STREQUAL GNU AND CMAKE_SYSTEM_PROCESSOR MATCHES "x86_64|AMD64")
  # A raise fills and copies structs of some hundred bytes. Strings of repeated stores take as long to begin as all the rest.
  target_compile_options(tidewater_build INTERFACE
    "$<$<CONFIG:Release,RelWithDebInfo>:-mmemset-strategy=vector_loop:2048:noalign,libcall:-1:noalign;-mmemcpy-strategy=vector_loop:2048:noalign,libcall:-1:noalign>")
endif()
if(CMAKE_UNITY_BUILD)
  # Of other files; each by itself is looked at elsewhere.
  target_compile_options(tidewater_build INTERFACE -Wno-shadow $<$<CXX_COMPILER_ID:GNU>:-Wno-subobject-linkage>)
endif()
if(TIDEWATER_SANITIZE)
  add_compile_definitions(TIDEWATER_SANITIZED)
  add_compile_options(-fsanitize=${TIDEWATER_SANITIZE} -fno-omit-frame-pointer -g1)
  add_link_options(-fsanitize=${TIDEWATER_SANITIZE})
endif()

if(CMAKE_SYSTEM_PROCESSOR MATCHES "aarch64|arm64|ARM64")
  # Kernels keep vectors in arrays, and vectors of SVE have no size while compiling: NEON is what these machines mix with.
  add_compile_definitions("HWY_DISABLED_TARGETS=(HWY_SVE|HWY_SVE2|HWY_SVE_256|HWY_SVE2_128)")
endif()
if(TIDEWATER_HOLD_UPS)
  add_compile_definitions(TIDEWATER_HOLD_UPS)
endif()

function(tidewater_library name)
  cmake_parse_arguments(PARSE_ARGV 1 ARG "" "" "SOURCES;PUBLIC;PRIVATE")
  add_library(${name} ${ARG_SOURCES})
  if(NOT PROJECT_IS_TOP_LEVEL)
    set_target_properties(${name} PROPERTIES EXCLUDE_FROM_ALL TRUE)  # a game builds what it links
  endif()
  string(REPLACE "tidewater_" "" short ${name})
  add_library(Tidewater::${short} ALIAS ${name})
  set_target_properties(${name} PROPERTIES EXPORT_NAME ${short} VERSION ${PROJECT_VERSION} SOVERSION ${PROJECT_VERSION_MAJOR}
    DEFINE_SYMBOL ""  # one object for both kinds of library: a compiler cache has it already
    CXX_VISIBILITY_PRESET hidden VISIBILITY_INLINES_HIDDEN ON)  # tidewater/export.hpp says what is seen from outside
  target_include_directories(${name} PUBLIC
    $<BUILD_INTERFACE:${PROJECT_SOURCE_DIR}/include> $<INSTALL_INTERFACE:${CMAKE_INSTALL_INCLUDEDIR}>
    PRIVATE ${PROJECT_SOURCE_DIR}/src)
  target_compile_features(${name} PUBLIC cxx_std_20)
  target_link_libraries(${name} PUBLIC ${ARG_PUBLIC} PRIVATE ${ARG_PRIVATE} $<BUILD_INTERFACE:tidewater_build>)
  if(BUILD_SHARED_LIBS AND NOT TIDEWATER_SANITIZE)
    target_link_options(${name} PRIVATE -Wl,-z,defs)  # a library that uses what another keeps to itself is found here, not by who links both
  endif()
  if(TIDEWATER_SANITIZE AND NOT name STREQUAL tidewater)
    target_compile_options(${name} PRIVATE -O0)  # a quarter of the time; what mixes is in the core
  endif()
endfunction()
