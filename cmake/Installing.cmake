# What an outside project finds: headers, libraries, find_package(Tidewater), pkg-config.
include(CMakePackageConfigHelpers)

install(TARGETS tidewater tidewater_author tidewater_device tidewater_picture EXPORT TidewaterTargets)
install(DIRECTORY include/tidewater DESTINATION ${CMAKE_INSTALL_INCLUDEDIR})
install(EXPORT TidewaterTargets NAMESPACE Tidewater:: DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/Tidewater)
configure_package_config_file(cmake/TidewaterConfig.cmake.in ${CMAKE_CURRENT_BINARY_DIR}/TidewaterConfig.cmake
  INSTALL_DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/Tidewater)
write_basic_package_version_file(${CMAKE_CURRENT_BINARY_DIR}/TidewaterConfigVersion.cmake COMPATIBILITY SameMinorVersion)
install(FILES ${CMAKE_CURRENT_BINARY_DIR}/TidewaterConfig.cmake ${CMAKE_CURRENT_BINARY_DIR}/TidewaterConfigVersion.cmake
  DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/Tidewater)

file(RELATIVE_PATH PC_UP /x/${CMAKE_INSTALL_LIBDIR}/pkgconfig /x)
function(tidewater_pkgconfig name library description requires private)
  set(PC_NAME ${name})
  set(PC_LIBRARY ${library})
  set(PC_DESCRIPTION ${description})
  set(PC_REQUIRES ${requires})
  set(PC_PRIVATE ${private})
  configure_file(cmake/tidewater.pc.in ${CMAKE_CURRENT_BINARY_DIR}/${name}.pc @ONLY)
  install(FILES ${CMAKE_CURRENT_BINARY_DIR}/${name}.pc DESTINATION ${CMAKE_INSTALL_LIBDIR}/pkgconfig)
endfunction()
tidewater_pkgconfig(tidewater tidewater "Game audio: plays banks" "" "sndfile fmt libhwy")
tidewater_pkgconfig(tidewater-author tidewater_author "Reads, checks and compiles books" "tidewater" "tomlplusplus soxr libebur128 fmt")
tidewater_pkgconfig(tidewater-device tidewater_device "Plays on a sound card" "tidewater" "sdl2 fmt")
tidewater_pkgconfig(tidewater-picture tidewater_picture "Draws what was heard" "tidewater" "pangocairo fmt")
