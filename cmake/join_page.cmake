cmake_minimum_required(VERSION 3.25)
# Joins the files under page/ into two HTML texts, the page and the overview.
# cmake -DPAGE=FOLDER -DTHREE=FILE -DOUT=FOLDER -P join_page.cmake
# The modules become one script: each after those that it imports, without its import and export words.
file(READ ${PAGE}/style.css style)
file(READ ${THREE} three)

function(join frame)
    set(script "")
    foreach(module ${ARGN})
        file(READ ${PAGE}/${module}.js text)
        string(REGEX REPLACE "import {[^}]*} from \"[^\"]*\";\n" "" text "${text}")
        string(REGEX REPLACE "^export (const|function|async function|class) " "\\1 " text "${text}")
        string(REGEX REPLACE "\nexport {[^}]*};\n" "\n" text "${text}")
        string(REGEX REPLACE "\nexport (const|function|async function|class) " "\n\\1 " text "${text}")
        string(APPEND script "${text}\n")
    endforeach()
    file(READ ${PAGE}/${frame}.html page)
    string(REPLACE "@STYLE@" "${style}" page "${page}")
    string(REPLACE "@SCRIPT@" "${script}" page "${page}")
    string(REPLACE "@THREE@" "${three}" page "${page}")
    file(WRITE ${OUT}/${frame}.html "${page}")
endfunction()

join(page data state make measures joints light rods skin actor rings stage pointer timeline live adjust chain_picker panels main)
join(overview make measures overview)
