# `find_package(dendraxis)` after `cmake --install`.
include(CMakePackageConfigHelpers)
set(DENDRAXIS_PACKAGE_DIR ${CMAKE_INSTALL_LIBDIR}/cmake/dendraxis)
install(EXPORT dendraxis-targets NAMESPACE dendraxis:: DESTINATION ${DENDRAXIS_PACKAGE_DIR})
configure_package_config_file(${CMAKE_CURRENT_LIST_DIR}/dendraxis-config.cmake.in
    ${CMAKE_CURRENT_BINARY_DIR}/dendraxis-config.cmake INSTALL_DESTINATION ${DENDRAXIS_PACKAGE_DIR})
write_basic_package_version_file(${CMAKE_CURRENT_BINARY_DIR}/dendraxis-config-version.cmake
    COMPATIBILITY SameMinorVersion)
install(FILES ${CMAKE_CURRENT_BINARY_DIR}/dendraxis-config.cmake
    ${CMAKE_CURRENT_BINARY_DIR}/dendraxis-config-version.cmake DESTINATION ${DENDRAXIS_PACKAGE_DIR})
