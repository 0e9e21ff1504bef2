# cmake --install and find_package(halvo).
include(GNUInstallDirs)
include(CMakePackageConfigHelpers)
install(TARGETS halvo_core halvo_io halvo_view EXPORT halvo ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR})
install(TARGETS halvo RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
install(TARGETS halvo_reader RUNTIME DESTINATION ${CMAKE_INSTALL_LIBEXECDIR}/halvo)
if(TARGET halvo_distributed)
  install(TARGETS halvo_distributed LIBRARY DESTINATION ${CMAKE_INSTALL_LIBEXECDIR}/halvo)
endif()
install(DIRECTORY ${PROJECT_SOURCE_DIR}/include/halvo DESTINATION ${CMAKE_INSTALL_INCLUDEDIR})
install(DIRECTORY ${PROJECT_SOURCE_DIR}/demo/ DESTINATION ${CMAKE_INSTALL_DATADIR}/halvo/demo FILES_MATCHING PATTERN "*.step" PATTERN "*.stl" PATTERN "*.toml" PATTERN make EXCLUDE)
install(EXPORT halvo NAMESPACE halvo:: FILE halvo-targets.cmake DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/halvo)
configure_package_config_file(${CMAKE_CURRENT_LIST_DIR}/halvo-config.cmake.in ${PROJECT_BINARY_DIR}/halvo-config.cmake
                              INSTALL_DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/halvo PATH_VARS CMAKE_INSTALL_LIBEXECDIR)
write_basic_package_version_file(${PROJECT_BINARY_DIR}/halvo-config-version.cmake COMPATIBILITY SameMinorVersion)
install(FILES ${PROJECT_BINARY_DIR}/halvo-config.cmake ${PROJECT_BINARY_DIR}/halvo-config-version.cmake
        DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/halvo)
