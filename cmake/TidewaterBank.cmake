# tidewater_bank(TARGET BOOK [FOLDER folder] [FOR_TARGET name] [LANGUAGE name])
# Packs a book's banks into FOLDER (banks, beside what is built, unless told otherwise) whenever the book or one of its clips has changed,
# or a clip has come or gone, before TARGET is built: for the target of the book that
# FOR_TARGET names, and one LANGUAGE or all of them.
function(tidewater_bank target book)
  cmake_parse_arguments(PARSE_ARGV 2 ARG "" "FOLDER;FOR_TARGET;LANGUAGE" "")
  if(NOT ARG_FOLDER)
    set(ARG_FOLDER ${CMAKE_CURRENT_BINARY_DIR}/banks)
  endif()
  tidewater_find_tool(tool)
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

# tidewater_names(TARGET BOOK [HEADER file] [NAMESPACE name])
# Writes the names of a book into a header for TARGET whenever the book has changed. The header is "names.hpp" unless HEADER says otherwise.
# A name that the book does not have does not compile. The header file changes only if a name was added or removed.
function(tidewater_names target book)
  cmake_parse_arguments(PARSE_ARGV 2 ARG "" "HEADER;NAMESPACE" "")
  if(NOT ARG_HEADER)
    set(ARG_HEADER names.hpp)
  endif()
  tidewater_find_tool(tool)
  get_filename_component(book "${book}" ABSOLUTE)
  string(MAKE_C_IDENTIFIER "${target}_${book}_${ARG_HEADER}" id)
  set(folder ${CMAKE_CURRENT_BINARY_DIR}/${id})
  set(space $<$<BOOL:${ARG_NAMESPACE}>:--namespace;${ARG_NAMESPACE}>)
  get_filename_component(folder_of_header ${folder}/${ARG_HEADER} DIRECTORY)
  file(MAKE_DIRECTORY ${folder_of_header})
  add_custom_command(OUTPUT ${folder}/written BYPRODUCTS ${folder}/${ARG_HEADER}
    COMMAND ${tool} names ${book} --output ${folder}/${ARG_HEADER} "${space}"
    COMMAND ${CMAKE_COMMAND} -E touch ${folder}/written
    DEPENDS ${book} ${tool} VERBATIM COMMAND_EXPAND_LISTS COMMENT "Writing the names of ${book}")
  add_custom_target(${id} DEPENDS ${folder}/written)
  add_dependencies(${target} ${id})
  target_include_directories(${target} PRIVATE ${folder})
endfunction()

function(tidewater_find_tool tool)
  if(TARGET Tidewater::tool)
    set(${tool} Tidewater::tool PARENT_SCOPE)
    return()
  endif()
  find_program(TIDEWATER_PROGRAM tidewater)
  if(NOT TIDEWATER_PROGRAM)
    message(FATAL_ERROR "Tidewater's tool is needed: build with -DTIDEWATER_TOOL=ON, or set TIDEWATER_PROGRAM to where it is")
  endif()
  set(${tool} ${TIDEWATER_PROGRAM} PARENT_SCOPE)
endfunction()
