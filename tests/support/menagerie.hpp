// Awkward skeletons, each made to be hard in its own way, with the chains that are truly there.
#pragma once

#include <dendraxis/skeleton/character.hpp>

#include <map>
#include <string>
#include <vector>

namespace menagerie {

struct Specimen {
    std::string name;
    dendraxis::Character character;
    std::map<std::string, std::vector<std::string>> chains;  ///< by chain, the names of its bones
    std::string hips;                                        ///< empty: there is no body
};

std::vector<Specimen> specimens();

}  // namespace menagerie
