# halvo_embed(TARGET NAME=FILE...): the files become part of the target, as view/web.hpp gives them.
function(halvo_embed target)
  set(blocks "")
  set(table "")
  set(number 0)
  set(files "")
  foreach(pair IN LISTS ARGN)
    string(REGEX MATCH "^([^=]+)=(.+)$" found "${pair}")
    set(name ${CMAKE_MATCH_1})
    set(file ${CMAKE_MATCH_2})
    list(APPEND files ${file})
    string(APPEND blocks "__asm__(\".pushsection .rodata\\n.balign 16\\nhalvo_web_${number}: .incbin \\\"${file}\\\"\\nhalvo_web_${number}_end: .byte 0\\n.popsection\");\n"
           "extern \"C\" const char halvo_web_${number}[], halvo_web_${number}_end[];\n")
    string(APPEND table "        {\"${name}\", {halvo_web_${number}, static_cast<std::size_t>(halvo_web_${number}_end - halvo_web_${number})}},\n")
    math(EXPR number "${number} + 1")
  endforeach()
  set(source ${CMAKE_CURRENT_BINARY_DIR}/web_files.cpp)
  file(CONFIGURE OUTPUT ${source} @ONLY CONTENT [=[
// Made by cmake/web.cmake.
#include "view/web.hpp"

#include <cstddef>
#include <utility>

@blocks@
namespace halvo::view {

std::string_view web_file(std::string_view name) {
    const std::pair<std::string_view, std::string_view> files[] = {
@table@    };
    for (const auto& [known, text] : files)
        if (known == name) return text;
    return {};
}

}  // namespace halvo::view
]=])
  target_sources(${target} PRIVATE ${source})
  set_source_files_properties(${source} PROPERTIES OBJECT_DEPENDS "${files}" SKIP_UNITY_BUILD_INCLUSION ON SKIP_PRECOMPILE_HEADERS ON)
endfunction()
