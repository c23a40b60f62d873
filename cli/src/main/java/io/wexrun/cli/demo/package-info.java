/** Ostrel Trams, the made-up tram network of demo and examples: its data and its workspace. */
package io.wexrun.cli.demo;
