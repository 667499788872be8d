#!/bin/sh
# SPDX-License-Identifier: MIT
# A public header for Doxygen: comments that stand alone belong to what follows, those behind a member to the member,
# "---- name ----" begins a group.
sed -E '1s|^/\* SPDX-License-Identifier: MIT$|/** \\file|
    s|^/\* ---- private.*|/* private */|
    s|^/\* ---- (.*) ---- \*/$|/** @name \1 */|
    s|([;,{] *)/\* |\1/**< |
    s|^( *)/\* |\1/** |
    s|@([A-Z])|\\@\1|g
    s/&([a-z]+);/\&amp;\1;/g
    s|^(    [A-Z_0-9]+ = [^/]*)/\* |\1/**< |' "$1"
