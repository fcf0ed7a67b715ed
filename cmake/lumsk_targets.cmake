# One include root (src) for all; what a target may use is stated by its links and checked by tools/check_layers.
function(lumsk_library name)
  cmake_parse_arguments(ARG "" "" "SOURCES;LINKS;PCH" ${ARGN})
  add_library(lumsk_${name} STATIC ${ARG_SOURCES})
  target_include_directories(lumsk_${name} PUBLIC ${PROJECT_SOURCE_DIR}/src)
  target_link_libraries(lumsk_${name} PUBLIC ${ARG_LINKS})
  if(ARG_PCH)
    target_precompile_headers(lumsk_${name} PRIVATE ${ARG_PCH})
  endif()
endfunction()

# A Qt Test program: one class, moc by include of its own .moc
function(lumsk_test name)
  cmake_parse_arguments(ARG "XVFB" "" "SOURCES;LINKS" ${ARGN})
  add_executable(${name} ${ARG_SOURCES})
  set_target_properties(${name} PROPERTIES AUTOMOC ON)
  target_include_directories(${name} PRIVATE ${PROJECT_SOURCE_DIR}/tests)
  target_compile_options(${name} PRIVATE $<$<CONFIG:Release>:-O1>) # building is most of the time of a check
  target_link_libraries(${name} PRIVATE Qt6::Test ${ARG_LINKS})
  target_compile_definitions(${name} PRIVATE LUMSK_DATA_DIR="${PROJECT_SOURCE_DIR}/data"
                             LUMSK_SOURCE_DIR="${PROJECT_SOURCE_DIR}")
  if(ARG_XVFB)
    add_test(NAME ${name} COMMAND ${PROJECT_SOURCE_DIR}/tools/with_display $<TARGET_FILE:${name}>)
  else()
    add_test(NAME ${name} COMMAND ${name})
    set_tests_properties(${name} PROPERTIES ENVIRONMENT "QT_QPA_PLATFORM=offscreen")
  endif()
  set_tests_properties(${name} PROPERTIES TIMEOUT 600)
endfunction()
