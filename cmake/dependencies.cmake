# What io and view need; the core needs none of it.
# The kernel's libraries are linked by name: its CMake targets would pull in its viewer with GL, X11 and fonts.
find_path(OpenCASCADE_INCLUDE_DIR Standard.hxx PATH_SUFFIXES opencascade REQUIRED)
find_library(OpenCASCADE_KERNEL TKernel REQUIRED)
find_package(nlohmann_json REQUIRED)
find_package(tomlplusplus REQUIRED)
find_library(TOML_LIBRARY tomlplusplus REQUIRED)  # its compiled half: parsing it anew costs ten seconds
find_package(SQLite3 REQUIRED)
find_package(pugixml REQUIRED)
find_package(OpenSSL REQUIRED COMPONENTS Crypto)
find_package(PNG REQUIRED)
find_package(Freetype REQUIRED)
find_package(ZLIB REQUIRED)
find_package(PkgConfig REQUIRED)
pkg_check_modules(OSMESA REQUIRED IMPORTED_TARGET osmesa)
find_library(UDUNITS_LIBRARY udunits2 REQUIRED)
find_package(CLI11 REQUIRED)
# Factorization and eigenvalues, for solve alone.
find_path(CHOLMOD_INCLUDE_DIR cholmod.h PATH_SUFFIXES suitesparse REQUIRED)
find_library(CHOLMOD_LIBRARY cholmod REQUIRED)
# For the page: the library that draws in the browser, which goes into it, and the server behind it.
find_file(HALVO_THREE_JS three.min.js PATHS /usr/share/javascript/three /usr/share/nodejs/three/build REQUIRED)
pkg_check_modules(HTTPLIB REQUIRED IMPORTED_TARGET cpp-httplib)
# Factorization on several processes: a module of its own, built where these are.
find_package(MPI QUIET COMPONENTS CXX)
find_library(MUMPS_LIBRARY dmumps)
if(MPI_CXX_FOUND AND MUMPS_LIBRARY)
  set(HALVO_DISTRIBUTED ON)
endif()
