# Writes OUT, a C++ source whose table holds the files that are named behind it. The bytes
# come in by the assembler, which is much faster than the compiler with long texts. Each
# file's checksum stands in the source, so that a cache of compiled units sees a change.
#   cmake -DOUT=console_files.cc -P embed.cmake FILE...
set(types
  html "text/html\\; charset=utf-8"
  js "text/javascript\\; charset=utf-8"
  css "text/css\\; charset=utf-8"
  svg "image/svg+xml")
set(files)
foreach(i RANGE ${CMAKE_ARGC})
  if("${CMAKE_ARGV${i}}" MATCHES "\\.(html|js|css|svg)$")
    list(APPEND files "${CMAKE_ARGV${i}}")
  endif()
endforeach()

set(bytes)
set(rows)
set(number 0)
foreach(file IN LISTS files)
  get_filename_component(name "${file}" NAME)
  get_filename_component(ending "${file}" LAST_EXT)
  string(SUBSTRING "${ending}" 1 -1 ending)
  list(FIND types "${ending}" at)
  math(EXPR at "${at} + 1")
  list(GET types ${at} type)
  file(SHA256 "${file}" sum)
  string(SUBSTRING "${sum}" 0 16 tag)
  execute_process(COMMAND gzip -9 -n -c "${file}" OUTPUT_FILE "${file}.gz" COMMAND_ERROR_IS_FATAL ANY)
  string(APPEND bytes "// ${name}: ${sum}\nVANTRO_EMBED(${number}, \"${file}\")\n"
    "VANTRO_EMBED(${number}_gz, \"${file}.gz\")\n")
  string(APPEND rows
    "    {\"/${name}\", \"${type}\", VANTRO_VIEW(${number}), VANTRO_VIEW(${number}_gz), \"${tag}\"},\n")
  math(EXPR number "${number} + 1")
endforeach()

file(WRITE "${OUT}" "// Made by console/embed.cmake.
#include <vector>

#include \"manage/console.h\"

#define VANTRO_EMBED(id, file)                                                     \\
  __asm__(\".section .rodata\\n\" \".balign 16\\n\" \"vantro_console_\" #id \":\\n\"     \\
          \".incbin \\\"\" file \"\\\"\\n\" \"vantro_console_\" #id \"_end:\\n\" \".previous\\n\"); \\
  extern \"C\" const char vantro_console_##id[];                                     \\
  extern \"C\" const char vantro_console_##id##_end[];
#define VANTRO_VIEW(id) \\
  std::string_view(vantro_console_##id, static_cast<std::size_t>(vantro_console_##id##_end - vantro_console_##id))

${bytes}
namespace vantro::manage {

std::span<const ConsoleFile> console_files() {
  static const std::vector<ConsoleFile> files{
${rows}  };
  return files;
}

}  // namespace vantro::manage
")
