/** Asking stores that another process holds. */
package io.wexrun.project.ask;
