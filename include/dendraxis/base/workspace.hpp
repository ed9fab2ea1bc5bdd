// Scratch memory for what runs per frame.
#pragma once

#include <memory>
#include <typeinfo>
#include <vector>

namespace dendraxis {

/// Scratch memory of one thread: one serves all transfers, solvers, foot locks and characters of that thread.
/// It grows where a call needs more than any before it, and is then only used again; each evaluator's
/// `reserve` makes it grow beforehand, so that not even the first frame allocates. Two threads must not use
/// one at the same time.
class Workspace {
 public:
    /// What one kind of evaluator keeps in it; private to each.
    struct Part {
        virtual ~Part() = default;
    };

    /// The part of a kind, made on first use.
    template <class Kind>
    Kind& part() {
        for (const std::unique_ptr<Part>& one : parts_) {
            const Part& known = *one;
            if (typeid(known) == typeid(Kind)) return static_cast<Kind&>(*one);
        }
        return static_cast<Kind&>(*parts_.emplace_back(std::make_unique<Kind>()));
    }

 private:
    std::vector<std::unique_ptr<Part>> parts_;
};

}  // namespace dendraxis
