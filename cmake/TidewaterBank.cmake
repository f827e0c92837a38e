# tidewater_bank(TARGET BOOK [FOLDER folder] [FOR_TARGET name] [LANGUAGE name])
# Packs a book's banks into FOLDER (banks, beside what is built, unless told otherwise) whenever the book or one of its clips has changed,
# or a clip has come or gone, before TARGET is built: for the target of the book that
# FOR_TARGET names, and one LANGUAGE or all of them.
function(tidewater_bank target book)
  cmake_parse_arguments(PARSE_ARGV 2 ARG "" "FOLDER;FOR_TARGET;LANGUAGE" "")
  if(NOT ARG_FOLDER)
    set(ARG_FOLDER ${CMAKE_CURRENT_BINARY_DIR}/banks)
  endif()
  if(TARGET Tidewater::tool)
    set(tool Tidewater::tool)
  else()
    find_program(TIDEWATER_PROGRAM tidewater)
    if(NOT TIDEWATER_PROGRAM)
      message(FATAL_ERROR "tidewater_bank needs the tool: build with -DTIDEWATER_TOOL=ON, or set TIDEWATER_PROGRAM to where it is")
    endif()
    set(tool ${TIDEWATER_PROGRAM})
  endif()
  get_filename_component(book "${book}" ABSOLUTE)
  string(MAKE_C_IDENTIFIER "${target}_${book}_${ARG_FOR_TARGET}_${ARG_LANGUAGE}" id)
  set(which $<$<BOOL:${ARG_FOR_TARGET}>:--target;${ARG_FOR_TARGET}> $<$<BOOL:${ARG_LANGUAGE}>:--language;${ARG_LANGUAGE}>)
  set(done ${CMAKE_CURRENT_BINARY_DIR}/${id}.packed)
  add_custom_command(OUTPUT ${done}
    COMMAND ${tool} pack ${book} --output ${ARG_FOLDER} "${which}" --depfile ${done}.d --depfile-of ${done}
    COMMAND ${CMAKE_COMMAND} -E touch ${done}
    DEPENDS ${book} ${tool} DEPFILE ${done}.d VERBATIM COMMAND_EXPAND_LISTS COMMENT "Packing ${book}")
  add_custom_target(${id} DEPENDS ${done})
  add_dependencies(${target} ${id})
endfunction()
