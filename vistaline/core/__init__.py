"""Rules and computation: numpy in, numpy out; no interface, no database.

The rooms are folders, by subject; ``docs/architecture.md`` has a sentence on each and the order
of their floors. At the foot, for all of them:

- ``errors``      what can go wrong, in sentences for a person
- ``arrays``      names of array types
- ``model``       what documents are made of: frozen parts, checked when built
- ``explaining``  what is wrong with a document, in sentences
- ``near``        what somebody may have meant by a name that is not there
- ``keyable``     the mark of values that can have keys
- ``verbs``       edits by name, with checked arguments
- ``timing``      frame rates, timecode, times as people type them
- ``easing``      eases: CSS's, Penner's, springs
- ``speed``       a travel's speed, and the curve for a wished peak
- ``files``       files that are there whole or not at all
- ``confined``    work on what people bring in, in child processes that may die
- ``kept``        what is computed once and kept, within one bound of memory
- ``warm``        above all rooms: compiles their kernels
"""
