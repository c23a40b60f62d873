/** Where rows go: the contracts of targets and stores. */
package io.wexrun.core.target;
